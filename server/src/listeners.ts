import type { Services } from './docket/index.js';
import type { Answerers, Listeners } from './kernel/index.js';
import { givenBeyond, handOverGrants, somebodySetsUp, withShift } from './access/index.js';
import { declareOnClosing, handOverRecords, numberingById, requireApart } from './records/index.js';
import { mostDated, recomputeWithin, shiftWithin } from './schedule/index.js';

/** Who listens to what a lower area tells, in the same transaction: all of it stands here. */
export function listenersOver(services: () => Services): Listeners {
  return {
    // Dates follow from where a place is, what rules it has and whether it is open.
    placesChanged: [(uow, { placeIds, because }) => recomputeWithin(services(), uow, { placeIds }, because)],
    // Two numberings in use never make the same number.
    numberingSet: [async (uow, { numberingId }) => requireApart(uow, (await numberingById(uow, numberingId))!, '/numbering')],
    // A place may say that what is in it is declared when it is closed.
    folderClosed: [(uow, { placeId }) => declareOnClosing(uow, placeId)],
  };
}

/** Who answers what a lower area asks: all of it stands here, too. */
export function answerersOver(services: () => Services): Answerers {
  return {
    dateShift: (uow, { placeIds, access }) => shiftWithin(uow, { placeIds }, access, mostDated),
    accessShift: async (uow, { person, work }) => (await withShift(uow, { person, trial: true, scope: 'everything' }, work)).access!,
    givenBeyond: (uow, { access, principalIds }) => givenBeyond(uow, access, principalIds),
    somebodySetsUp: (uow) => somebodySetsUp(uow, uow.actor.today),
    handOver: async (uow, leaving) => ({
      grants: await handOverGrants(uow, leaving),
      records: await handOverRecords(uow, services(), leaving),
    }),
  };
}

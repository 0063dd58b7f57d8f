import { hasRight, profileIn } from '@key-cellar/core/access';
import { addPeriod, civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { message } from '@key-cellar/words';
import { grantsById, loadProfiles, somebodySetsUp, takeGrantBack } from '../access/index.js';
import { send } from '../identity/index.js';
import { inSavepoint, programActor, withUnitOfWork, type Services, type UnitOfWork } from '../kernel/index.js';
import * as store from './store.js';

/** So many days before its end those who have not answered yet are reminded. */
const remindBefore = 7;

/** Writes to everybody who has something to answer in a round. */
export async function tellReviewers(
  uow: UnitOfWork,
  services: Services,
  review: store.ReviewRow,
  what: 'begins' | 'reminds',
  today: string,
): Promise<void> {
  const open = (await store.allLines(uow, review.id)).filter((l) => l.answer === null && l.there);
  const letters = (await services.access.everyone(today)).flatMap((person) => {
    const n = open.filter((l) => l.principal_id !== person.id && hasRight(person.access.on(l.access_set_id).all, 'grant')).length;
    if (n === 0) return [];
    const words = { title: review.title, n, due: { day: review.due_on } };
    return [
      {
        toId: person.id,
        kind: 'access',
        subject: what === 'begins' ? message('access.letter.review', words) : message('access.letter.reviewReminds', words),
        body: review.ends_unconfirmed ? message('access.letter.reviewBodyEnds', words) : message('access.letter.reviewBody', words),
        link: `/access/reviews/${review.id}`,
      },
    ];
  });
  await send(uow, letters);
}

class LastAdministrator extends Error {}

/**
 * Ends what nobody confirmed in a round that is over, and closes it. What nobody but its holder could have confirmed stays, and so does what lets
 * the last administrator be one.
 */
async function endRound(uow: UnitOfWork, services: Services, review: store.ReviewRow, today: string): Promise<void> {
  const everyone = await services.access.everyone(today);
  const couldAnswer = (l: store.LineRow): boolean =>
    everyone.some((p) => p.id !== l.principal_id && hasRight(p.access.on(l.access_set_id).all, 'grant'));
  const open = (await store.allLines(uow, review.id)).filter((l) => l.answer === null && l.there);
  const lines = review.ends_unconfirmed
    ? await store.lockLines(
        uow,
        open.map((l) => l.id),
      )
    : [];
  const grants = new Map(
    (
      await grantsById(
        uow,
        lines.map((l) => l.grant_id),
      )
    ).map((g) => [g.id, g]),
  );
  const profiles = await loadProfiles(uow);
  let ended = 0;
  for (const line of lines) {
    const grant = grants.get(line.grant_id);
    if (line.answer !== null || !grant || !couldAnswer(line)) continue;
    // The last administrator stays one; what sets nothing up need not be asked about.
    const mayBeLast = hasRight(profileIn(profiles, grant.profile).rights, 'setUp');
    const over = await inSavepoint(uow, async (part) => {
      await takeGrantBack(part, grant, review.title);
      if (mayBeLast && !(await somebodySetsUp(part, today))) throw new LastAdministrator();
      return true;
    }).catch((error: unknown) => {
      if (error instanceof LastAdministrator) return false;
      throw error;
    });
    if (!over) continue;
    await store.answerLine(uow, { id: line.id, answer: 'not confirmed', by: null, on: today, note: '' });
    ended++;
  }
  await store.closeReview(uow, review.id, today);
  const subject = { kind: 'review', id: review.id, name: review.title };
  uow.enter({ act: 'closed a review of access', subject, after: { open: open.length - ended, ended } });
}

/** Once on a day of the repository: reminds of rounds that end soon, and ends those that are over. */
export async function tendReviews(services: Services, today: string): Promise<void> {
  const soon = formatCivilDate(addPeriod(civilDate(today), { years: 0, months: 0, weeks: 0, days: remindBefore }));
  for (const { id } of await store.reviewsDue(services.pool, soon)) {
    await withUnitOfWork(
      services.pool,
      programActor('reviews', today),
      async (uow) => {
        const [review] = await store.lockReviews(uow, [id]);
        if (!review || review.closed_on !== null) return;
        if (review.due_on < today) return endRound(uow, services, review, today);
        const again = review.reminded_on === null || (review.due_on === today && review.reminded_on < today);
        if (!again || review.made_on === today) return;
        await tellReviewers(uow, services, review, 'reminds', today);
        await store.noteReminded(uow, review.id, today);
      },
      'none',
    );
  }
}

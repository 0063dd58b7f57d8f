import type { Filing } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import type { Explanation } from '@key-cellar/core/schedule';
import { type Message } from '@key-cellar/words';
import { notAllowed, Problem, type SignedIn } from '../kernel/index.js';
import { openPlace } from '../plan/index.js';
import type { Services } from '../records/index.js';
import { explainJudged, judge, type ClockRow } from '../schedule/index.js';
import { arrivalFor } from './arrivals.js';
import { checkFiling, requireTaken, type CheckedFiling } from './filing.js';

/** What the schedule would say of filings, and what is wrong with them. */
export async function preview(
  services: Services,
  person: SignedIn,
  filings: readonly Filing[],
): Promise<{ arrivalId: string; explanation: Explanation; gaps: string[]; problems: Message[] }[]> {
  const book = await services.rules.current(services.pool);
  const previews = [];
  for (const filing of filings) {
    const problems: Message[] = [];
    let checked: CheckedFiling | null = null;
    try {
      const { place, access } = await openPlace(services, person, filing.placeId);
      if (!hasRight(access.on(place.access_set_id).all, 'deposit')) throw notAllowed('deposit');
      checked = await checkFiling(services.pool, person, access, place, filing);
      const arrival = await arrivalFor(services, person, filing.arrivalId);
      requireTaken(checked, arrival);
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      problems.push(error.said);
    }
    const gaps = [...(checked?.gaps ?? [])];
    const [judged] = await judge(services.pool, [hypothetical(person, filing, checked)], book, person.today);
    previews.push({ arrivalId: filing.arrivalId, explanation: explainJudged(judged!, [], gaps), gaps, problems });
  }
  return previews;
}

/** A record as it would be if it were filed today. A place that cannot be filed in tells nothing of its rules. */
function hypothetical(person: SignedIn, filing: Filing, checked: CheckedFiling | null): ClockRow {
  return {
    id: filing.arrivalId,
    number: '',
    title: filing.title,
    medium: 'electronic',
    state: 'working',
    gaps: checked?.gaps.length ?? 0,
    owner_id: person.id,
    deposited_by: person.id,
    record_type: filing.recordType,
    place_id: filing.placeId,
    series_id: checked?.series.id ?? filing.placeId,
    places: checked?.place.ancestors ?? [],
    created_on: filing.createdOn,
    received_on: person.today,
    filed_on: person.today,
    modified_on: person.today,
    declared_on: null,
    superseded_on: null,
    last_used_on: null,
    facts: checked?.facts ?? {},
    override: null,
    jurisdictions: [],
    steps_taken: null,
    refers: [...(checked?.refers ?? [])],
    detected: [],
  };
}

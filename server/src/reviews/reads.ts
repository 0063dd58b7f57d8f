import type { access as endpoints, ReviewLine, ReviewSummary, Told } from '@key-cellar/contract';
import { hasRight, profileIn, profileWords, type Profiles } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import { loadProfiles } from '../access/index.js';
import { Download, entering, notFound, withUnitOfWork, type PersonAccess, type ReadsOf, type Services } from '../kernel/index.js';
import { writeTable } from '../tables/index.js';
import { reviewSubject, whyNotAnswer } from './acts.js';
import * as store from './store.js';

/** Access sets in which somebody sees what is reviewed. */
const seen = (access: PersonAccess): number[] => [...new Set([...access.sets('grant'), ...access.sets('audit')])];

const summary = (r: store.ReviewRow, counts: store.CountsRow, access: PersonAccess): ReviewSummary => ({
  ...{ id: r.id, title: r.title, place: { id: r.place_id, code: r.place_code, title: r.place_title }, dueOn: r.due_on },
  ...{ endsUnconfirmed: r.ends_unconfirmed, madeBy: r.made_by_name, madeOn: r.made_on, closedOn: r.closed_on },
  // What ended otherwise asks nobody any more.
  ...{ lines: counts.lines, answered: counts.answered, mine: counts.mine },
  mayClose: r.closed_on === null && hasRight(access.on(r.access_set_id).all, 'grant'),
});

const countsFor = async ({ pool }: Services, access: PersonAccess, personId: string) =>
  new Map((await store.countsOf(pool, { seen: seen(access), gives: access.sets('grant'), personId })).map((c) => [c.review_id, c]));

const stateOf = (l: store.LineRow): ReviewLine['state'] => l.answer ?? (!l.there ? 'gone' : l.changed ? 'changed' : 'open');

const line = (l: store.LineRow, access: PersonAccess, personId: string, profiles: Profiles): Told<ReviewLine> => ({
  id: l.id,
  principal: { id: l.principal_id, name: l.principal_name, kind: l.principal_kind, active: l.principal_active },
  place: { id: l.place_id, kind: l.place_kind, code: l.place_code, title: l.place_title },
  record: l.record_id === null ? null : { id: l.record_id, number: l.record_number!, title: l.record_title! },
  tag: l.tag_name,
  as: profileWords(profileIn(profiles, l.profile)),
  ...{ from: l.from_on, until: l.until_on, reason: l.reason, madeOn: l.made_on },
  ...{ state: stateOf(l), answeredBy: l.answered_by, answeredOn: l.answered_on, note: l.note },
  mayAnswer: whyNotAnswer(l, access, personId) === null,
});

/** A round that somebody may see, with what they may see of it; 404 where that is nothing. */
async function found({ pool }: Services, id: string, access: PersonAccess) {
  const [review] = await store.reviewsById(pool, [id]);
  const lines = review ? await store.linesOf(pool, id, seen(access)) : [];
  if (!review || lines.length === 0) throw notFound(message('thing.review'));
  return { review, lines };
}

const columns = ['who', 'kind', 'place', 'place title', 'record', 'tag', 'as', 'from', 'until', 'answer', 'by', 'on', 'note'] as const;

export const reviewReads: Pick<ReadsOf<typeof endpoints, Services>, 'reviews' | 'review' | 'reviewTable'> = {
  reviews: async ({ services, person, access }) => {
    const known = await access();
    const [all, counts] = [await store.reviews(services.pool), await countsFor(services, known, person.id)];
    const told = all.flatMap((r) => {
      const of = counts.get(r.id);
      return of ? [summary(r, of, known)] : [];
    });
    return { reviews: told, mayBegin: known.sets('grant').length > 0 };
  },
  review: async ({ services, person, access, params: { id } }) => {
    const known = await access();
    const [{ review, lines }, profiles] = [await found(services, id, known), await loadProfiles(services.pool)];
    const counts = (await countsFor(services, known, person.id)).get(id)!;
    return { review: summary(review, counts, known), lines: lines.map((l) => line(l, known, person.id, profiles)) };
  },
  reviewTable: entering(['exported a review of access'], async ({ services, person, access, params: { id }, query: { format } }) => {
    const { review, lines } = await found(services, id, await access());
    const profiles = await loadProfiles(services.pool);
    const table = await writeTable(
      columns,
      lines.map((l) => ({
        ...{ who: l.principal_name, kind: l.principal_kind, place: l.place_code, 'place title': l.place_title },
        ...{
          record: l.record_number ?? '',
          tag: l.tag_name ?? '',
          as: profileIn(profiles, l.profile).code,
          from: l.from_on ?? '',
          until: l.until_on ?? '',
        },
        ...{ answer: stateOf(l), by: l.answered_by ?? '', on: l.answered_on ?? '', note: l.note },
      })),
      format,
    );
    const entry = { act: 'exported a review of access', subject: reviewSubject(review), after: { format, lines: lines.length } };
    await withUnitOfWork(services.pool, person, (uow) => uow.enter(entry), 'none');
    return new Download({ ...table, name: `review-${review.due_on}.${format}` });
  }),
};

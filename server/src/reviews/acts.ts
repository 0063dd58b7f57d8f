import { access as endpoints, type OutcomeLine, type Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { addPeriod, civilDate } from '@key-cellar/core/calendar';
import { message, type Message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import { beyond, grantsById, setsOfGrant, takeGrantBack, withShift } from '../access/index.js';
import { actsFor, many, one, Problem, wrongField, type Entered, type Kind, type PersonAccess, type Services } from '../kernel/index.js';
import { placeKind } from '../plan/index.js';
import * as store from './store.js';
import { tellReviewers } from './tending.js';

const { act } = actsFor<Services>();
const aYear = { years: 1, months: 0, weeks: 0, days: 0 };

export const reviewSubject = (r: { readonly id: string; readonly title: string }) => ({ kind: 'review', id: r.id, name: r.title });

const reviewKind: Kind<store.ReviewRow> = {
  word: 'review',
  what: message('thing.review'),
  see: ['grant', 'audit'],
  find: (db, ids, lock) => (lock ? store.lockReviews(db, ids) : store.reviewsById(db, ids)),
  id: (review) => review.id,
  subject: reviewSubject,
  sets: (review) => [review.access_set_id],
};

const lineName = (l: store.LineRow): string =>
  `${l.principal_name} · ${l.record_id === null ? `${l.place_code} ${l.place_title}`.trim() : `${l.record_number!} ${l.record_title!}`}`;

const lineKind: Kind<store.LineRow> = {
  word: 'reviewed grant',
  what: message('thing.grant'),
  see: ['grant', 'audit'],
  find: (db, ids, lock) => (lock ? store.lockLines(db, ids) : store.linesById(db, ids)),
  id: (line) => line.id,
  subject: (line) => ({ kind: 'review', id: line.review_id, name: line.review_title }),
  sets: (line) => [line.access_set_id],
};

/** Why somebody may not answer on a grant; null where they may. */
export function whyNotAnswer(line: store.LineRow, access: PersonAccess, personId: string): Message | null {
  if (line.answer !== null) return message('access.reviewAnswered', { by: line.answered_by ?? 'Key Cellar' });
  if (line.review_closed_on !== null) return message('access.reviewClosed');
  if (!line.there) return message('access.reviewGone');
  if (line.principal_id === personId) return message('access.reviewOwn');
  return hasRight(access.on(line.access_set_id).all, 'grant') ? null : message('access.reviewNotYours');
}

export const reviewActs = {
  beginReview: act(endpoints.beginReview, {
    name: 'began a review of access',
    on: { place: one(placeKind, ({ body }) => body.placeId, 'grant', { lock: false }) },
    repeat: 'another',
    async write(uow, { services, person, access, on: { place }, body: { title, dueOn, endsUnconfirmed } }) {
      if (dueOn <= person.today) throw wrongField('/dueOn', message('access.reviewPast'));
      if (civilDate(dueOn) > addPeriod(civilDate(person.today), aYear)) throw wrongField('/dueOn', message('access.reviewTooLong'));
      const id = uuidv7();
      await store.addReview(uow, { id, title, placeId: place.id, dueOn, endsUnconfirmed, madeBy: person.id, madeOn: person.today });
      const lines = await store.addLines(uow, { reviewId: id, placeId: place.id, sets: access.sets('grant'), today: person.today });
      if (lines === 0) throw new Problem(409, 'nothing-given', message('access.reviewNothing'));
      const review = (await store.reviewsById(uow, [id]))[0]!;
      await tellReviewers(uow, services, review, 'begins', person.today);
      const after = { place: `${place.code} ${place.title}`.trim(), dueOn, endsUnconfirmed, lines };
      return { answer: { id, lines }, entry: { subject: reviewSubject(review), after } };
    },
  }),

  answerReview: act(endpoints.answerReview, {
    name: ['confirmed grants', 'did not confirm grants'],
    also: ['took a grant back'],
    on: { lines: many(lineKind, ({ body }) => body.ids, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { lines }, left, body: { answer, note } }) {
      const results: Told<OutcomeLine>[] = [];
      const answered: store.LineRow[] = [];
      const grants = new Map(
        (
          await grantsById(
            uow,
            lines.map((l) => l.grant_id),
          )
        ).map((g) => [g.id, g]),
      );
      const { access: shift } = await withShift(uow, { person, trial, scope: 'everything' }, async () => {
        for (const line of lines) {
          const grant = grants.get(line.grant_id);
          const against =
            whyNotAnswer(line, access, person.id) ??
            (answer === 'ended' ? await beyond(uow, access, await setsOfGrant(uow, grant!), grant!.profile) : null);
          const told = { id: line.id, name: lineName(line) };
          if (against) {
            results.push({ ...told, outcome: line.answer === null ? 'refused' : 'skipped', why: against });
            continue;
          }
          if (answer === 'ended') await takeGrantBack(uow, grant!, note || line.review_title);
          await store.answerLine(uow, { id: line.id, answer, by: person.id, on: person.today, note });
          answered.push(line);
          const why = answer === 'kept' ? message('access.reviewKept') : message('access.grantEnded');
          results.push({ ...told, outcome: 'done', why });
        }
      });
      // One entry for each round: what it was on stands in it.
      const rounds = new Map(answered.map((l) => [l.review_id, l]));
      const entries = [...rounds.values()].map((l): Entered => ({
        act: answer === 'kept' ? 'confirmed grants' : 'did not confirm grants',
        subject: lineKind.subject(l),
        after: answered
          .filter((a) => a.review_id === l.review_id)
          // As it was when it was answered on: it may have changed since the round began.
          .map((a) => ({ to: a.principal_id, profile: grants.get(a.grant_id)!.profile, on: a.record_id ?? a.place_id })),
        note,
      }));
      return { answer: { results: [...results, ...left], access: shift }, entry: entries.length === 0 ? null : entries };
    },
  }),

  closeReview: act(endpoints.closeReview, {
    name: 'closed a review of access',
    on: { review: one(reviewKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    async write(uow, { person, on: { review }, body: { reason } }) {
      if (review.closed_on !== null) throw new Problem(409, 'closed', message('access.reviewClosed'));
      const open = (await store.allLines(uow, review.id)).filter((l) => l.answer === null && l.there).length;
      await store.closeReview(uow, review.id, person.today);
      return { answer: {}, entry: { after: { open }, note: reason } };
    },
  }),
};

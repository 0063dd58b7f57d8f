import { message } from '@key-cellar/words';
import { records } from '@key-cellar/contract';
import { numberingRefusal, numberingsMeet, parseNumbering, type Numbering } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { recordTypes } from '../facts/index.js';
import { actsFor, atRepository, changedMeanwhile, noRight, one, perhaps, Problem, wrongField, type Db } from '../kernel/index.js';
import { placeKind, requireRevision } from '../plan/index.js';
import { numberingKind } from './kinds.js';
import * as store from './numberingStore.js';
import type { Services } from './services.js';

const { act } = actsFor<Services>();
const keepers = message('records.keepersWholeRepositoryDecide');

/** Refuses a scheme that could give one number twice, or that asks for a fact that no record type has. */
export async function requireSoundNumbering(db: Db, numbering: Numbering): Promise<void> {
  const facts = new Set((await recordTypes(db)).flatMap((t) => t.facts.map((f) => f.code)));
  const refusal = numberingRefusal(numbering, facts);
  if (refusal) throw wrongField('/pattern', refusal);
}

/** Refuses a scheme that makes numbers of another one that is in use: each would find its numbers taken. */
export async function requireApart(db: Db, numbering: { readonly id: string; readonly pattern: string }, pointer: string): Promise<void> {
  const own = parseNumbering(numbering.pattern);
  for (const other of await store.numberingsInUse(db)) {
    const parts = parseNumbering(other.pattern);
    const number = other.id !== numbering.id && own.ok && parts.ok ? numberingsMeet(own.value, parts.value) : null;
    if (number !== null) throw wrongField(pointer, message('records.schemesMeet', { title: other.title, number }));
  }
}

export const numberingActs = {
  makeNumbering: act(records.makeNumbering, {
    name: 'made a numbering',
    on: { repository: atRepository('arrange', keepers) },
    repeat: 'refused',
    async write(uow, { body }) {
      await requireSoundNumbering(uow, body);
      const id = uuidv7();
      await store.addNumbering(uow, { ...body, id });
      return { answer: { id }, entry: { subject: { kind: 'numbering', id, name: body.title }, after: body } };
    },
  }),

  changeNumbering: act(records.changeNumbering, {
    name: 'changed a numbering',
    on: { numbering: one(numberingKind, ({ params }) => params.id, 'arrange', { who: keepers }) },
    repeat: 'refused',
    async write(uow, { on: { numbering: before }, body }) {
      await requireSoundNumbering(uow, body);
      if (before.revision !== body.revision) throw changedMeanwhile();
      if ((await store.useOf(uow, before.id)).places > 0) await requireApart(uow, { id: before.id, pattern: body.pattern }, '/pattern');
      const { revision: _revision, ...after } = body;
      await store.writeNumbering(uow, { ...after, id: before.id });
      const subject = { kind: 'numbering', id: before.id, name: body.title };
      return { answer: { revision: before.revision + 1 }, entry: { subject, before, after } };
    },
  }),

  /** One that gave a number stays: its number must not be given again. */
  dropNumbering: act(records.dropNumbering, {
    name: 'removed a numbering',
    on: { numbering: one(numberingKind, ({ params }) => params.id, 'arrange', { who: keepers }) },
    repeat: 'refused',
    async write(uow, { on: { numbering }, body }) {
      if (numbering.revision !== body.revision) throw changedMeanwhile();
      const { used, places } = await store.useOf(uow, numbering.id);
      if (used) throw new Problem(409, 'numbering-used', message('records.numberingUsed', { title: numbering.title }));
      if (places > 0) {
        throw new Problem(409, 'numbering-set', message('records.numberingSet', { title: numbering.title, n: places }));
      }
      await store.removeNumbering(uow, numbering.id);
      return { answer: {}, entry: { before: numbering } };
    },
  }),

  placeNumbering: act(records.placeNumbering, {
    name: 'set the numbering of a place',
    on: {
      place: one(placeKind, ({ params }) => params.id, 'dispose'),
      numbering: perhaps(numberingKind, ({ body }) => body.numberingId, noRight, { lock: false }),
    },
    repeat: 'refused',
    async write(uow, { on: { place, numbering }, body }) {
      requireRevision(place, body.revision);
      if (numbering) await requireApart(uow, numbering, '/numberingId');
      await store.setNumbering(uow, place.id, numbering?.id ?? null);
      return { answer: {}, entry: { after: { numbering: numbering?.title ?? null } } };
    },
  }),
};

import { message } from '@key-cellar/words';
import { setup } from '@key-cellar/contract';
import { canonicalJson } from '@key-cellar/core/ledger';
import { uuidv7 } from 'uuidv7';
import { actsFor, atRepository, changedMeanwhile, one } from '../kernel/index.js';
import { noteAll, notedAtOnce, requireFreeTitle, requireSoundSigns } from './detectors.js';
import * as store from './detectorStore.js';
import { detectorKind } from './kinds.js';
import type { Services } from './services.js';

const { act } = actsFor<Services>();
const keepers = message('records.keepersWholeRepositoryMake');
const job = { kind: 'notes', beyond: notedAtOnce } as const;

export const detectorActs = {
  /** All records are noted to be looked at with it. */
  makeDetector: act(setup.makeDetector, {
    name: 'made a detector',
    on: { repository: atRepository('dispose', keepers) },
    gate: 'none',
    repeat: 'refused',
    job,
    async write(uow, { body, services }) {
      requireSoundSigns(body);
      const id = uuidv7();
      await requireFreeTitle(uow, body.title, id);
      await store.addDetector(uow, { ...body, id });
      return {
        answer: { id, waiting: await noteAll(services, uow, body.title) },
        entry: { subject: { kind: 'detector', id, name: body.title }, after: body },
      };
    },
  }),

  /** What it finds is looked for anew where its signs changed, and is gone when it is retired. */
  changeDetector: act(setup.changeDetector, {
    name: ['changed a detector', 'retired a detector'],
    on: { detector: one(detectorKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    gate: 'none',
    repeat: 'refused',
    job,
    async write(uow, { on: { detector: before }, body, services, person }) {
      requireSoundSigns(body);
      if (before.revision !== body.revision) throw changedMeanwhile();
      await requireFreeTitle(uow, body.title, before.id);
      const retiredOn = body.retired ? (before.retired_on ?? person.today) : null;
      const { title, note, signs } = body;
      await store.writeDetector(uow, { id: before.id, title, note, signs, retiredOn });
      const looksAnew = canonicalJson(before.signs) !== canonicalJson(signs) || before.retired_on !== retiredOn;
      return {
        answer: { revision: before.revision + 1, waiting: looksAnew ? await noteAll(services, uow, title) : 0 },
        entry: {
          act: body.retired && before.retired_on === null ? 'retired a detector' : 'changed a detector',
          subject: { kind: 'detector', id: before.id, name: title },
          before: { title: before.title, note: before.note, signs: before.signs, retiredOn: before.retired_on },
          after: { title, note, signs, retiredOn },
        },
      };
    },
  }),
};

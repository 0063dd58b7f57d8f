import { message } from '@key-cellar/words';
import type { docket, steps } from '@key-cellar/contract';
import { requireAtRepository, type ReadsOf } from '../kernel/index.js';
import { batchPage, listBatches } from './batchPages.js';
import { dueGroups } from './groups.js';
import type { Services } from './services.js';
import { previewSweep } from './sweep.js';
import { letter, openTasks, stepsOfRecord } from './tasks.js';

export const docketReads: ReadsOf<typeof docket, Services> = {
  due: async ({ services, person }) => ({ groups: await dueGroups(services, person) }),
  batches: async ({ services, person }) => ({ batches: await listBatches(services, person, 'all') }),
  batch: ({ services, person, params }) => batchPage(services, person, params.id),
};

export const stepReads: ReadsOf<typeof steps, Services> = {
  tasks: ({ services, person, query }) => openTasks(services, person, query.whose),
  letter: ({ services, params }) => letter(services, params.token),
  ofRecord: ({ services, person, params }) => stepsOfRecord(services, person, params.id),
  preview: async ({ services, person, access }) => {
    const rights = await access();
    await requireAtRepository(services.pool, rights, 'dispose', message('docket.keepersWholeRepositoryRun'));
    return { lines: await previewSweep(services, person, rights.sets('discover')) };
  },
};

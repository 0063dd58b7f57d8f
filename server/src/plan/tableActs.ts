import { message } from '@key-cellar/words';
import { plan } from '@key-cellar/contract';
import { actsFor, atRepository, type Services } from '../kernel/index.js';
import { importPlan } from './planTable.js';

const { actInParts } = actsFor<Services>();

export const planTableActs = {
  importPlan: actInParts(plan.importPlan, {
    name: 'took in a plan',
    also: ['made a function', 'made an activity', 'made a series', 'made a folder', 'moved a place', 'changed a place'],
    on: { repository: atRepository('dispose', message('plan.keepersWholeRepositoryTake')) },
    repeat: 'same',
    job: { kind: 'recompute', beyond: 2000 },
    perform: ({ services, access, body }, work) =>
      importPlan(services, access, work, { bytes: Buffer.from(body.data, 'base64'), format: body.format, dryRun: body.dryRun }),
  }),
};

import { message } from '@key-cellar/words';
import { jobById, mayDoTo, notFound, type JobRow, type PersonAccess, type SignedIn } from '../kernel/index.js';
import { jobKind } from './kinds.js';
import type { Services } from './services.js';

/** Long work as whoever began it may follow it, and the keepers of the repository: its totals tell of what others may not know of. */
export async function jobFor(services: Services, person: SignedIn, access: PersonAccess, id: string): Promise<JobRow> {
  const job = await jobById(services.pool, id);
  if (!job || !(await mayDoTo(services.pool, jobKind, job, 'dispose', person, access))) throw notFound(message('thing.work'));
  return job;
}

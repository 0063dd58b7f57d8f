import type { FirstStep, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import type { Services } from '../docket/index.js';
import { mayAtRepository, rootSet, type PersonAccess, type SignedIn } from '../kernel/index.js';
import * as store from './store.js';

/** A batch needs one who proposes and another who approves. */
const deciding = 2;

/**
 * What leads from an empty repository to one in which something can lawfully be disposed of, each with whether it is done and where it is done;
 * for whoever sets it up, until that is; what belongs to a good start besides stands with it. Null for everybody else, and from then on.
 */
export async function firstSteps(services: Services, person: SignedIn, access: PersonAccess): Promise<Told<FirstStep>[] | null> {
  const { pool } = services;
  const may = (right: 'setUp' | 'dispose' | 'grant') => mayAtRepository(pool, access, right);
  if (!(await may('setUp'))) return null;
  // Who only sets up does not bring tables and kits.
  const brings = (await may('dispose')) && (await may('grant'));
  const [arranged, everyone, root] = await Promise.all([store.arranged(pool), services.access.everyone(person.today), rootSet(pool)]);
  const approving = root === null ? 0 : everyone.filter((p) => hasRight(p.access.on(root).all, 'approve')).length;
  const step = (key: FirstStep['key'], done: boolean, link: string, quick?: { by: 'kit' | 'table'; link: string }): Told<FirstStep> => ({
    key,
    done,
    sentence: message(`reports.step.${key}`),
    link,
    quick: quick && brings && !done ? { sentence: message(`reports.stepBy.${quick.by}`), link: quick.link } : null,
  });
  const kit = { by: 'kit', link: '/setup/packages#kits' } as const;
  const table = { by: 'table', link: '/setup/packages#tables' } as const;
  const { standIns, timeAuthorityUrl, archiveUrl } = services.config;
  const own = (name: 'timeAuthority' | 'archive', url: string | null): boolean => !!url && !standIns.includes(name);
  const needed = [
    step('plan', arranged.series > 0, '/plan?view=outline', kit),
    step('types', arranged.types > 1, '/setup', kit),
    step('schedule', arranged.rules > 0, '/schedule', kit),
    step('people', arranged.people >= deciding, '/setup/people', table),
    step('decide', approving >= deciding, arranged.root === null ? '/plan' : `/plan/${arranged.root}`),
    step('file', arranged.filed, '/receiving'),
  ];
  if (needed.every((one) => one.done)) return null;
  return [
    ...needed,
    step('outside', own('timeAuthority', timeAuthorityUrl) && own('archive', archiveUrl), '/setup/outside'),
    step('backup', arranged.backup, '/setup/outside'),
  ];
}

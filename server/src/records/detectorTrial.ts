import type { DetectorTrial, Told } from '@key-cellar/contract';
import type { Sign } from '@key-cellar/core/criteria';
import { message } from '@key-cellar/words';
import { mayNameDetectors } from '../criteria/index.js';
import { notAllowed, type PersonAccess } from '../kernel/index.js';
import { requireSoundSigns, textOf } from './detectors.js';
import { rackSeen } from '../plan/index.js';
import * as store from './detectorStore.js';
import { unreadWords } from './documentText.js';
import type { Services } from './services.js';
import { tryingSigns } from './texts.js';

/** Somebody waits for a trial: scans that nobody looked at yet are left out of it after so long. */
const recognisingMs = 20_000;

type Tried = Told<DetectorTrial>['chosen'][number];

/**
 * Looks with signs into chosen records, and into some by lot, before all are looked at with them. Only what the person may read is opened. Rejects
 * with a Problem for signs that are none and for whoever may not know of detectors.
 */
export async function tryDetector(
  services: Services,
  access: PersonAccess,
  { signs, numbers, some }: { readonly signs: readonly Sign[]; readonly numbers: readonly string[]; readonly some: number },
): Promise<Told<DetectorTrial>> {
  if (!mayNameDetectors(access)) throw notAllowed('audit', message('records.detectorsThoseWhoKeep'));
  requireSoundSigns({ title: '', note: '', signs });
  const sets = access.sets('read');
  const [chosen, lot, seen] = await Promise.all([
    store.chosenToTry(services.pool, numbers, sets),
    some === 0 ? [] : store.someToTry(services.pool, sets, some),
    rackSeen(services.pool, access, 'read'),
  ]);
  const until = Date.now() + recognisingMs;
  const look = async (row: (typeof chosen)[number]): Promise<Tried> => {
    const { text, unread } = await textOf(services, row, until);
    const { met, found } = await services.reading.run(tryingSigns, { text, signs });
    return { id: row.id, number: row.number, title: row.title, met, found: [...found], unread: unread.map(unreadWords) };
  };
  const tried: Tried[] = [];
  for (const row of chosen) tried.push(await look(row));
  const byLot: Tried[] = [];
  for (const row of lot) byLot.push(await look(row));
  return { chosen: tried, some: byLot.filter((t) => t.met), looked: lot.length, of: seen.total().kept };
}

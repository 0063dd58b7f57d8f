import { message } from '@key-cellar/words';
import { fixity, type FixityState } from '@key-cellar/contract';
import {
  Away,
  actsFor,
  atRepository,
  inOwnTransaction,
  requireAtRepository,
  withUnitOfWork,
  type Actor,
  type ReadsOf,
} from '../kernel/index.js';
import { DamagedContent } from './content.js';
import * as store from './contentStore.js';
import { checkCopy } from './copies.js';
import { countObjects, isBehind } from './objectStore.js';
import type { Services } from './services.js';

const { act } = actsFor<Services>();
/** At most so much is read before anybody else has a turn. */
const bytesPerPart = 64 * 1024 * 1024;
const contentsPerPart = 200;
const keysPerPart = 500;
const dueShown = 10_000;
const damagedShown = 100;
const usual = { days: 90, megabytesPerSecond: 20 } as const;
const subject = { kind: 'setting', id: null, name: 'fixity' } as const;

/** What checking and mending enter by themselves. */
export const tending = [
  'found damaged content',
  'mended damaged content',
  'gave up a damaged copy',
  'encrypted content',
  'destroyed keys of contents',
];

const words: Record<DamagedContent['damage'], string> = {
  missing: 'a part of it is missing',
  changed: 'it does not have its fingerprint any more',
  keyless: 'its key is missing',
};

/**
 * Sets content apart that was found damaged, and enters that on everything that has it; looked at once more, since it may have been
 * mended meanwhile. Gives whether it is damaged.
 */
export async function setApart(services: Services, actor: Actor, { contentId, damage }: DamagedContent): Promise<boolean> {
  const { contents, pool, log } = services;
  return withUnitOfWork(
    pool,
    actor,
    async (uow) => {
      const content = await store.lockContent(uow, contentId);
      if (!content || content.damaged_at !== null) return content !== undefined;
      try {
        for await (const piece of contents.readWhole(uow, content)) void piece;
        return false;
      } catch (error) {
        if (!(error instanceof DamagedContent)) throw error;
      }
      await store.setDamaged(uow, contentId);
      const sha256 = content.sha256.toString('hex');
      log.error({ contentId, sha256 }, `content is damaged: ${words[damage]}`);
      const holders = await store.holdersOf(uow, contentId);
      uow.enterAll(holders.map((holder) => ({ act: 'found damaged content', subject: holder, after: { sha256, damage: words[damage] } })));
      return true;
    },
    'none',
  );
}

/**
 * Checks contents whose turn has come, oldest first, one app server at a time: every byte, through its key, against the fingerprint that it
 * came in with, and its copy after it. Gives how many bytes were read; null when nothing was due, or nothing of it can be reached. A crash forgets what
 * was checked since the last part.
 */
export async function checkContents(services: Services, actor: Actor): Promise<number | null> {
  const { contents, objects, pool, log } = services;
  const { days } = await store.fixitySchedule(pool, usual);
  return inOwnTransaction(pool, async (db) => {
    if (!(await store.lockChecking(db))) return null;
    const due = await store.dueForCheck(db, days, contentsPerPart);
    const checked: string[] = [];
    let bytes = 0;
    let reachable = objects !== null;
    for (const content of due) {
      if (bytes >= bytesPerPart || services.stopping) break;
      // Without the object store what lies here is checked all the same; what lies there waits.
      if (content.store === 'objects' && !reachable) continue;
      bytes += content.size;
      try {
        for await (const piece of contents.readWhole(pool, content)) void piece;
        checked.push(content.id);
        if (content.copied && reachable) await checkCopy(services, actor, content);
      } catch (error) {
        if (error instanceof DamagedContent) await setApart(services, actor, error);
        else if (!(error instanceof Away)) throw error;
        else {
          reachable = false;
          log.warn({ err: error }, 'the object store does not answer: what lies there is not checked for now');
        }
      }
    }
    await store.setChecked(db, checked);
    return due.length === 0 || (checked.length === 0 && !reachable) ? null : bytes;
  });
}

/** Reads every content once, and gives how many there are and how many of them are damaged. */
export async function checkEveryContent({
  contents,
  pool,
}: Pick<Services, 'contents' | 'pool'>): Promise<{ contents: number; damaged: number }> {
  const count = { contents: 0, damaged: 0 };
  for (let after: string | null = null; ;) {
    const part = await store.contentsAfter(pool, after, contentsPerPart);
    for (const content of part) {
      count.contents++;
      try {
        for await (const piece of contents.readWhole(pool, content)) void piece;
      } catch (error) {
        if (!(error instanceof DamagedContent)) throw error;
        count.damaged++;
      }
    }
    if (part.length < contentsPerPart) return count;
    after = part.at(-1)!.id;
  }
}

/**
 * Counts once a day what does not belong together: contents that nothing has, and records that should have one and have none. Neither can
 * come about through the application; what is found is told to the log and on Proof, and nothing is removed.
 */
export async function reconcileDaily({ pool, log }: Pick<Services, 'pool' | 'log'>, { today }: Pick<Actor, 'today'>): Promise<void> {
  const last = await store.reconciled(pool);
  if (last?.on === today) return;
  const [contentsOfNothing, recordsWithout] = [await store.countContentsOfNothing(pool), await store.countRecordsWithout(pool)];
  if (contentsOfNothing + recordsWithout > 0)
    log.error({ contentsOfNothing, recordsWithout }, 'contents and records do not belong together');
  if ((await store.plainContents(pool, null, 1)).length > 0) log.warn('contents of before are not encrypted yet: npm run encrypt');
  await store.setReconciled(pool, { on: today, contentsOfNothing, recordsWithout });
}

/** How long to wait after so many bytes were read, so that no more is read in a second than the keeper said. Milliseconds. */
export async function pauseAfter(services: Services, bytes: number): Promise<number> {
  const { megabytesPerSecond } = await store.fixitySchedule(services.pool, usual);
  return (bytes / (megabytesPerSecond * 1_000_000)) * 1000;
}

/**
 * Destroys the keys of contents that are gone. Their transaction has ended by then, so that nothing that stays can lose its key; a crash
 * in between leaves them to be destroyed next. Gives how many there were.
 */
export async function eraseKeys(services: Services, actor: Actor): Promise<number> {
  const { contents, pool } = services;
  let gone = 0;
  for (;;) {
    const due = await store.keysToErase(pool, keysPerPart);
    if (due.length === 0) return gone;
    const slots = due.map((d) => d.slot);
    await contents.destroyKeys(slots);
    gone += due.length;
    await withUnitOfWork(
      pool,
      actor,
      async (uow) => {
        if ((await store.setErased(uow, slots)) === 0) return;
        uow.enter({
          act: 'destroyed keys of contents',
          subject: {
            kind: 'content',
            id: due.length === 1 ? due[0]!.content_id : null,
            name: due.length === 1 ? 'content' : `${due.length} contents`,
          },
          after: { contents: due.map((d) => d.content_id) },
        });
      },
      'none',
    );
  }
}

export async function fixityState({ pool, objects, config }: Pick<Services, 'pool' | 'objects' | 'config'>): Promise<FixityState> {
  const schedule = await store.fixitySchedule(pool, usual);
  const [oldest, due, damaged, damagedCount, reconciled, keysToDestroy] = await Promise.all([
    store.oldestCheck(pool),
    store.countDue(pool, schedule.days, dueShown),
    store.damagedContents(pool, damagedShown),
    store.countDamaged(pool),
    store.reconciled(pool),
    store.countKeysToErase(pool),
  ]);
  return {
    ...schedule,
    oldest,
    due,
    damagedCount,
    reconciled,
    damaged: await Promise.all(
      damaged.map(async (d) => ({
        contentId: d.id,
        sha256: d.sha256.toString('hex'),
        size: d.size,
        since: d.since,
        holders: (await store.holdersOf(pool, d.id)) as FixityState['damaged'][number]['holders'],
      })),
    ),
    keysToDestroy,
    objects: objects && { contentsIn: config.contentsIn, ...(await countObjects(pool, dueShown)), behind: await isBehind(pool) },
  };
}

/** What of it needs a person: how many contents are damaged and the first thing that has one, and whether the object store is hours behind. */
export async function fixityTroubles({
  pool,
  objects,
}: Pick<Services, 'pool' | 'objects'>): Promise<{ damaged: number; first: string; behind: boolean }> {
  const damaged = await store.countDamaged(pool);
  const [first] = damaged === 0 ? [] : await store.damagedContents(pool, 1);
  return {
    damaged,
    first: first ? ((await store.holdersOf(pool, first.id))[0]?.name ?? '') : '',
    behind: objects !== null && (await isBehind(pool)),
  };
}

const keepers = message('records.keepersWholeRepositorySay');

export const fixityActs = {
  schedule: act(fixity.schedule, {
    name: 'said how contents are checked',
    on: { repository: atRepository('dispose', keepers) },
    gate: 'none',
    repeat: 'same',
    async write(uow, { body }) {
      const before = await store.fixitySchedule(uow, usual);
      await store.setFixitySchedule(uow, body);
      return { answer: {}, entry: { subject, before, after: body } };
    },
  }),
};

export const fixityReads: ReadsOf<typeof fixity, Services> = {
  state: async ({ services, access }) => {
    await requireAtRepository(services.pool, await access(), 'audit', message('records.keepersAuditorsWholeRepository'));
    return fixityState(services);
  },
};

import type { LedgerState, TreeHead, Told } from '@key-cellar/contract';
import type { Db } from '../kernel/index.js';
import type { Sealer } from './sealer.js';
import * as store from './store.js';

const shown = 50;

export function toHead(head: store.HeadRow): TreeHead {
  return {
    size: head.size,
    root: head.root.toString('hex'),
    signedAt: head.signed_text,
    keyId: head.key_id,
    signature: head.signature.toString('base64'),
    timeStamp: head.stamp ? { token: head.stamp.toString('base64'), at: head.stamp_text!, authority: head.stamp_authority! } : null,
    witness: head.note ? { note: head.note, at: head.witness_text!, name: head.witness! } : null,
  };
}

function toVerified(body: string): Told<LedgerState>['lastVerified'] {
  const { at, actor, after } = JSON.parse(body) as { at: string; actor: { name: string }; after: { ok: boolean; size: number } };
  return { at, by: actor.name, ok: after.ok, size: after.size };
}

/** Who verified the ledger last, when, and what came of it; null when nobody ever did. */
export async function lastVerification(db: Db): Promise<Told<LedgerState>['lastVerified']> {
  const verified = await store.lastVerified(db);
  return verified ? toVerified(verified.body) : null;
}

/** Newest heads, what is not sealed, cosigned or stamped yet, and what is in the way. */
export async function ledgerState(db: Db, sealer: Sealer): Promise<Told<LedgerState>> {
  const [heads, open, witnessed, stamped, verified, key] = await Promise.all([
    store.heads(db, shown),
    store.unsealedNow(db),
    store.newestWitnessed(db),
    store.newestStamped(db),
    lastVerification(db),
    store.newestKey(db),
  ]);
  return {
    heads: heads.map(toHead),
    unsealed: open.n,
    unsealedSince: open.since,
    unsealedForSeconds: open.seconds,
    witnessed,
    stamped,
    keyId: key?.id ?? null,
    lastVerified: verified,
    troubles: sealer.troubles().map((t) => ({ ...t, since: t.since.toISOString() })),
  };
}

export async function ledgerSize(db: Db): Promise<number> {
  return (await store.newestHead(db))?.size ?? 0;
}

const cosignedWithinMs = 4000;

/**
 * How many entries are under the newest head, once that has its cosignature: one that was signed in this very moment is waited for, and a
 * witness that is away is not.
 */
export async function settledSize(db: Db): Promise<number> {
  for (const end = Date.now() + cosignedWithinMs; ;) {
    const size = await ledgerSize(db);
    if (((await store.newestWitnessed(db)) ?? 0) >= size || Date.now() >= end) return size;
    await new Promise((resolve) => setTimeout(resolve, cosignedWithinMs / 40));
  }
}

/** The newest cosigned head as a header of what leaves here: its size and its root in hex. */
export async function headHeader(db: Db): Promise<Record<string, string>> {
  const head = await finalHead(db);
  return head ? { 'key-cellar-ledger-head': `${head.size} ${head.root}` } : {};
}

/** The newest head that was cosigned, for certificates, bags and letters; null while there is none. */
export async function finalHead(db: Db): Promise<TreeHead | null> {
  const head = await store.newestFinal(db);
  return head ? toHead(head) : null;
}

import type { LedgerState, TreeHead } from '@key-cellar/contract';
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

function toVerified(body: string): LedgerState['lastVerified'] {
  const { at, actor, after } = JSON.parse(body) as { at: string; actor: { name: string }; after: { ok: boolean; size: number } };
  return { at, by: actor.name, ok: after.ok, size: after.size };
}

/** Newest heads, what is not sealed, cosigned or stamped yet, and what is in the way. */
export async function ledgerState(db: Db, sealer: Sealer): Promise<LedgerState> {
  const [heads, open, witnessed, stamped, verified, key] = await Promise.all([
    store.heads(db, shown),
    store.unsealedNow(db),
    store.newestWitnessed(db),
    store.newestStamped(db),
    store.lastVerified(db),
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
    lastVerified: verified ? toVerified(verified.body) : null,
    troubles: sealer.troubles().map((t) => ({ ...t, since: t.since.toISOString() })),
  };
}

export async function ledgerSize(db: Db): Promise<number> {
  return (await store.newestHead(db))?.size ?? 0;
}

/** The newest head that was cosigned, for certificates, bags and letters; null while there is none. */
export async function finalHead(db: Db): Promise<TreeHead | null> {
  const head = await store.newestFinal(db);
  return head ? toHead(head) : null;
}

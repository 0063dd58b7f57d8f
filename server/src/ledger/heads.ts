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
 * The size of a head for what leaves here: the newest cosigned one as soon as that covers all that is sealed now, waited for when it was
 * signed in this very moment; the newest of all when the witness is away. 0 while nothing is sealed.
 */
export async function settledSize(db: Db): Promise<number> {
  const sealed = await ledgerSize(db);
  for (const end = Date.now() + cosignedWithinMs; ;) {
    const witnessed = (await store.newestWitnessed(db)) ?? 0;
    if (witnessed >= sealed) return witnessed;
    if (Date.now() >= end) return ledgerSize(db);
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

import { verify } from 'node:crypto';
import { canonicalJson } from '@key-cellar/core/ledger';
import * as z from 'zod';
import { message, type Message } from '@key-cellar/words';

export const receiptSchema = z.object({
  archive: z.string().min(1).max(200),
  accession: z.string().min(1).max(100),
  receivedOn: z.iso.date(),
  bag: z.string(),
  bagSha256: z.string().regex(/^[0-9a-f]{64}$/),
  payloadOxum: z.string(),
  files: z.number().int(),
  /** Ed25519 over the rest in canonical JSON (RFC 8785). */
  signature: z.base64(),
});
/** An accession receipt, as the archive answered it. */
export type Receipt = z.infer<typeof receiptSchema>;

/** What a bag is, as whoever packed it knows. */
export interface Packed {
  /** Without its ending: the folder in it. */
  readonly name: string;
  readonly sha256: string;
  /** Octets and number of payload files (RFC 8493 §2.2.2); null for one that was packed before it was noted. */
  readonly payloadOxum: string | null;
  readonly files: number | null;
}

/** What is wrong with a receipt for a bag; null when it is signed by the archive and says of the bag what it is. */
export function wrongReceipt({ signature, ...receipt }: Receipt, bag: Packed, archiveKey: string): Message | null {
  if (!verify(null, Buffer.from(canonicalJson(receipt)), archiveKey, Buffer.from(signature, 'base64')))
    return message('docket.receipt.notSigned');
  if (receipt.bagSha256 !== bag.sha256) return message('docket.receipt.notThisBag');
  if (receipt.bag !== bag.name) return message('docket.receipt.otherBag');
  if (bag.payloadOxum !== null && receipt.payloadOxum !== bag.payloadOxum) return message('docket.receipt.otherSize');
  if (bag.files !== null && receipt.files !== bag.files) return message('docket.receipt.otherFiles');
  return null;
}

import type { Services as Ledger } from '../ledger/index.js';
import type { Services as Records } from '../records/index.js';

/** What the docket, and every area above it, is given. */
export interface Services extends Records, Ledger {
  /** Where transfers go, and who signs receipts for them. */
  readonly archive: { readonly url: string; readonly key: string };
}

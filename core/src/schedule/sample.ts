import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import { describeCriteria, type Criteria } from '../criteria/index.js';

/** What of the records that a rule destroys is kept for good, as a sample of them all (docs/semantics.md 5.5). */
export type Sample =
  /** Those whose number ends with a multiple of `n`. */
  | { readonly kind: 'everyNth'; readonly n: number }
  /** One in `n`, by the fingerprint of the id: nobody can choose which. */
  | { readonly kind: 'share'; readonly n: number }
  | { readonly kind: 'criteria'; readonly criteria: Criteria };

/** A sample in words: "every 20th by number", "1 in 20 by lot", "those where finding is unsafe". */
export function describeSample(sample: Sample): string {
  switch (sample.kind) {
    case 'everyNth':
      return `every ${ordinal(sample.n)} by number`;
    case 'share':
      return `1 in ${sample.n} by lot`;
    case 'criteria':
      return `those where ${describeCriteria(sample.criteria)}`;
  }
}

function ordinal(n: number): string {
  const rest = n % 100;
  const ending = rest > 10 && rest < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][n % 10] ?? 'th');
  return `${n}${ending}`;
}

/**
 * Whether a record is of the sample: by the last run of digits in its number, by the first four bytes of the SHA-256 of its id
 * (as text), or as criteria were found to say. It is the same whenever it is asked, however records are gathered.
 */
export function isSampled(sample: Sample, record: { readonly id: string; readonly number: string }, matches: boolean): boolean {
  switch (sample.kind) {
    case 'everyNth': {
      const digits = record.number.match(/\d+/g)?.at(-1);
      return digits !== undefined && BigInt(digits) % BigInt(sample.n) === 0n;
    }
    case 'share': {
      const [a, b, c, d] = sha256(utf8ToBytes(record.id));
      return (((a! << 24) | (b! << 16) | (c! << 8) | d!) >>> 0) % sample.n === 0;
    }
    case 'criteria':
      return matches;
  }
}

import { message, type Message } from '@key-cellar/words';
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
export function describeSample(sample: Sample): Message {
  switch (sample.kind) {
    case 'everyNth':
      return message('schedule.sampleEvery', { n: sample.n });
    case 'share':
      return message('schedule.sampleShare', { n: sample.n });
    case 'criteria':
      return message('schedule.sampleWhere', { criteria: describeCriteria(sample.criteria) });
  }
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

import { message, type Message } from '@key-cellar/words';
import type * as z from 'zod';

/** What our own checks call what they found; every other text of the validator is its own, and nobody’s to read. */
const isOwn = (text: string): text is `input.${string}` & Message['say'] => text.startsWith('input.');

/**
 * What is wrong with a value, as a message that goes on from the name of its field: “must be a date such as 2026-09-14”. No text of the
 * validator itself reaches anybody.
 */
export function messageOfIssue(issue: z.core.$ZodIssue): Message {
  if (isOwn(issue.message)) return message(issue.message, { counter: '{nn}' });
  switch (issue.code) {
    case 'invalid_type':
      return issue.input === undefined && /undefined/.test(issue.message)
        ? message('input.missing')
        : message('input.expected', { kind: issue.expected });
    case 'too_small':
      return message(sizes[issue.origin] ? `input.${sizes[issue.origin]!.few}` : 'input.tooSmall', { n: Number(issue.minimum) });
    case 'too_big':
      return message(sizes[issue.origin] ? `input.${sizes[issue.origin]!.many}` : 'input.tooBig', { n: Number(issue.maximum) });
    case 'invalid_value':
      return issue.values.length === 1
        ? message('input.exactly', { value: String(issue.values[0]) })
        : message('input.oneOf', { values: { any: issue.values.map(String) } });
    case 'invalid_format':
      return message(issue.format === 'uuid' ? 'input.id' : 'input.format');
    case 'unrecognized_keys':
      return message('input.unknownKeys', { keys: { list: issue.keys } });
    default:
      return message('input.otherwise');
  }
}

/** What is counted of a text and of a list; of everything else its value counts. */
const sizes: Readonly<Record<string, { readonly few: 'tooShort' | 'tooFew'; readonly many: 'tooLong' | 'tooMany' }>> = {
  string: { few: 'tooShort', many: 'tooLong' },
  array: { few: 'tooFew', many: 'tooMany' },
  set: { few: 'tooFew', many: 'tooMany' },
};

import { attempt } from './parse.js';
import { fold, type Vocabulary } from './vocabulary.js';

export interface Completion {
  /** The part of the text that the option replaces. */
  readonly from: number;
  readonly until: number;
  readonly options: readonly string[];
}

/** What may come at a place in the text, narrowed by what is already typed there. */
export function completeCriteria(text: string, at: number, vocabulary: Vocabulary, most = 12): Completion {
  const before = text.slice(0, at);
  const { expected } = attempt(before, vocabulary);
  const places = [...new Set(expected.map((e) => e.at))].sort((a, b) => b - a);
  for (const from of places) {
    const typed = fold(before.slice(from));
    if (typed === '' && from < before.length) continue;
    const options = new Set<string>();
    for (const e of expected) {
      if (e.at !== from) continue;
      for (const option of e.options) {
        const form = fold(option);
        if (options.size < most && (form.startsWith(typed) || (typed.length > 1 && form.includes(` ${typed}`))) && form !== typed) {
          options.add(option);
        }
      }
    }
    if (options.size > 0) return { from, until: at, options: [...options] };
  }
  return { from: at, until: at, options: [] };
}

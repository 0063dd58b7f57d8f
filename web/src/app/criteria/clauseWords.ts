import { fieldWords, subjectsOf, type PlainSubject, type Verb, type Vocabulary } from '@key-cellar/core/criteria';
import type { Option } from '../kit/choice';

const plainWords: Readonly<Record<PlainSubject, string>> = {
  under: $localize`place`,
  words: $localize`words`,
  held: $localize`held`,
  heldBy: $localize`held by`,
  detected: $localize`matches detector`,
  gaps: $localize`gaps`,
  conflict: $localize`in conflict`,
};

/** How ways to compare are called. */
export const verbWords: Readonly<Record<Verb, string>> = {
  is: $localize`is`,
  starts: $localize`starts with`,
  from: $localize`from`,
  until: $localize`until`,
  between: $localize`between`,
  last: $localize`in the last`,
  next: $localize`in the next`,
  known: $localize`is known`,
};

/** What a condition can be about, to choose from. */
export function subjectOptions(vocabulary: Vocabulary): Option<string>[] {
  const factTitles = new Map(vocabulary.facts.map((f) => [`fact ${f.code}`, f.title]));
  const words: Readonly<Record<string, string>> = { ...plainWords, ...fieldWords };
  return subjectsOf(vocabulary).map((value) => ({ value, name: factTitles.get(value) ?? words[value]! }));
}

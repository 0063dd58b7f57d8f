/**
 * The words of a text as Key Cellar finds them: compatibility-decomposed, without marks, lower case, runs of letters and
 * digits. Both evaluators and the index are fed by this one function, so they cannot disagree.
 */
export function wordsOf(text: string): string[] {
  return (
    text
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .match(/[\p{L}\p{N}]{1,100}/gu) ?? []
  );
}

/** The distinct words of several texts, sorted. */
export function distinctWords(...texts: readonly string[]): string[] {
  return [...new Set(texts.flatMap(wordsOf))].sort();
}

/** Letters that no decomposition takes apart, as they are written where their script is not at hand. */
const folded: Readonly<Record<string, string>> = {
  ß: 'ss',
  æ: 'ae',
  œ: 'oe',
  ø: 'o',
  ł: 'l',
  đ: 'd',
  ð: 'd',
  þ: 'th',
  ħ: 'h',
  ŋ: 'n',
  ı: 'i',
  ĸ: 'k',
  // A sigma at the end of a word is the same letter.
  ς: 'σ',
};
const unfolded = new RegExp(`[${Object.keys(folded).join('')}]`, 'g');

/**
 * The words of a text as Key Cellar finds them: compatibility-decomposed (Unicode Standard Annex #15, NFKD), without marks, lower
 * case, with letters such as ß and ł folded, runs of letters and digits. Both evaluators and the index are fed by this one function, so they cannot disagree.
 */
export function wordsOf(text: string): string[] {
  return (
    text
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(unfolded, (letter) => folded[letter]!)
      .match(/[\p{L}\p{N}]{1,100}/gu) ?? []
  );
}

/** The distinct words of several texts, sorted. */
export function distinctWords(...texts: readonly string[]): string[] {
  return [...new Set(texts.flatMap(wordsOf))].sort();
}

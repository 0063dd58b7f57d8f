import { message, type Message } from '@key-cellar/words';
/**
 * What a text must look like, letter by letter: `#` a digit, `@` a letter, `?` any one character, `*` any number of them (one
 * `*` at most), and everything else itself. It is no regular expression, so that no pattern can keep a server busy.
 */
export function matchesMask(mask: string, text: string): boolean {
  const letters = [...text];
  const [front = '', back] = mask.split('*');
  const [head, tail] = [[...front], [...(back ?? '')]];
  if (back === undefined ? letters.length !== head.length : letters.length < head.length + tail.length) return false;
  return (
    head.every((sign, i) => fits(sign, letters[i]!)) && tail.every((sign, i) => fits(sign, letters[letters.length - tail.length + i]!))
  );
}

function fits(sign: string, letter: string): boolean {
  switch (sign) {
    case '#':
      return /^\d$/.test(letter);
    case '@':
      return /^\p{L}$/u.test(letter);
    case '?':
      return true;
    default:
      return sign === letter;
  }
}

/** Why a mask is none; null when it is one. */
export function maskProblem(mask: string): Message | null {
  if (mask.trim() === '') return message('records.emptyPattern');
  if (mask.length > 100) return message('records.patternMoreLetters');
  return mask.split('*').length > 2 ? message('records.moreOnePattern') : null;
}

/** A text as detectors look at it, and where each of its UTF-16 units stands in the text that it came from. */
export interface EvenText {
  readonly text: string;
  /** Where a unit of `text` begins in what was given; for its end, the length of what was given. */
  at(unit: number): number;
}

const dashes = /[\u2010-\u2015\u2212\ufe58\ufe63\uff0d]/;
/** What leaves no mark: soft hyphens, joiners, marks of direction and the like (Unicode 16, general category Cf). */
const unseen = /\p{Cf}/u;
const digit = /\p{Nd}/u;

/** A digit of any script as 0–9: in each script ten of them stand in a row (Unicode 16, §4.6), none of which begins within one of another. */
function asciiDigit(sign: string): string {
  const code = sign.codePointAt(0)!;
  let zero = code;
  while (code - zero < 9 && digit.test(String.fromCodePoint(zero - 1))) zero--;
  return String(code - zero);
}

function even(sign: string): string {
  if (dashes.test(sign)) return '-';
  if (/\p{Zs}/u.test(sign)) return ' ';
  if (unseen.test(sign)) return '';
  const plain = sign.normalize('NFKC');
  return digit.test(plain) && [...plain].length === 1 && plain > '9' ? asciiDigit(plain) : plain;
}

/**
 * Evens a text out: digits of every script are 0–9, wide and styled letters are letters (NFKC, sign by sign), every space is a space, every dash a
 * hyphen, line ends are \n, and what cannot be seen is gone. So nobody hides a number by the way it is written.
 *
 *     evenText('４１\u200b１١').text  // '4111'
 */
export function evenText(given: string): EvenText {
  // Most texts have nothing to even out.
  if (/^[\t\n\x20-\x7e]*$/.test(given)) return { text: given, at: (unit) => unit };
  const parts: string[] = [];
  const places: number[] = [];
  let at = 0;
  for (const sign of given) {
    const code = sign.charCodeAt(0);
    const plain =
      sign === '\r'
        ? given[at + 1] === '\n'
          ? ''
          : '\n'
        : sign.length === 1 && (code < 0x7f || (code > 0xff && code < 0x300))
          ? sign
          : even(sign);
    for (let i = 0; i < plain.length; i++) places.push(at);
    parts.push(plain);
    at += sign.length;
  }
  const text = parts.join('');
  return { text, at: (unit) => places[unit] ?? given.length };
}

const accented: Readonly<Record<string, string>> = Object.fromEntries(
  [...'abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ'].map((letter, at) => [
    letter,
    [...'åƀçđéƒĝĥîĵķļɱñöþɋŕšţûṽŵẋýžÅƁÇĐÉƑĜĤÎĴĶĻṀÑÖÞɊŔŠŢÛṼŴẊÝŽ'][at]!,
  ]),
);

/** Words that a text is made longer with. */
const filler = ['öñé', 'ţŵö', 'ţĥŕéé', 'ƒöûŕ', 'ƒîṽé', 'šîẋ', 'šéṽéñ', 'éîĝĥţ'];

/** A text of English in the pseudo-language: every letter with an accent, and longer by two fifths; a text without letters stays. */
export function pseudo(text: string): string {
  if (!/[a-z]/i.test(text)) return text;
  const [, before, body, after] = /^(\s*)([\s\S]*?)(\s*)$/.exec(text)!;
  const wanted = Math.ceil(body!.length * 0.4);
  let longer = '';
  for (let at = 0; longer.length < wanted; at = (at + 1) % filler.length) longer += ` ${filler[at]!}`;
  return (
    before! + [...body!].map((letter) => accented[letter] ?? letter).join('') + longer.slice(0, Math.max(wanted, 3)).trimEnd() + after!
  );
}

/**
 * An ICU message in the pseudo-language: its texts, and those of its choices (`{n, plural, one {record} other {records}}`); what is
 * put in stays as it is.
 */
export function pseudoMessage(pattern: string): string {
  let out = '';
  let text = '';
  for (let at = 0; at < pattern.length;) {
    if (pattern[at] !== '{') {
      text += pattern[at++]!;
      continue;
    }
    const end = closing(pattern, at);
    out += pseudo(text) + pseudoArgument(pattern.slice(at, end + 1));
    text = '';
    at = end + 1;
  }
  return out + pseudo(text);
}

/** Where the bracket closes that opens at a place. */
function closing(pattern: string, from: number): number {
  let depth = 0;
  for (let at = from; at < pattern.length; at++) {
    if (pattern[at] === '{') depth++;
    else if (pattern[at] === '}' && --depth === 0) return at;
  }
  return pattern.length - 1;
}

function pseudoArgument(argument: string): string {
  const head = /^\{\s*[\w$]+\s*,\s*(?:plural|select|selectordinal)\s*,/.exec(argument)?.[0];
  if (head === undefined) return argument;
  let out = head;
  for (let at = head.length; at < argument.length;) {
    if (argument[at] !== '{') {
      out += argument[at++]!;
      continue;
    }
    const end = closing(argument, at);
    out += `{${pseudoMessage(argument.slice(at + 1, end))}}`;
    at = end + 1;
  }
  return out;
}

/** A catalogue of English in the pseudo-language. */
export function pseudoCatalogue<T extends Readonly<Record<string, string>>>(catalogue: T): Record<keyof T, string> {
  return Object.fromEntries(Object.entries(catalogue).map(([code, pattern]) => [code, pseudoMessage(pattern)])) as Record<keyof T, string>;
}

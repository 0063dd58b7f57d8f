import { pseudoMessage } from '@key-cellar/words/pseudo';

export { pseudoCatalogue } from '@key-cellar/words/pseudo';

/** What stands before a text: what it means or a name for what comes in, for those who translate. */
const blocks = /^(?::[^:]*:)?/;

function pseudoPart(part: string): string {
  const [block] = blocks.exec(part)!;
  const text = part.slice(block.length);
  // How a date is written is letters, not words.
  if (block.includes('UTS 35')) return part;
  return block + pseudoMessage(text);
}

/** Lets every sentence that is marked for translation be spoken in the pseudo-language. */
export function speakPseudo(): void {
  $localize.translate = (parts, substitutions) => {
    const raw = parts.raw.map(pseudoPart);
    return [Object.assign(parts.map(pseudoPart), { raw }), substitutions];
  };
}

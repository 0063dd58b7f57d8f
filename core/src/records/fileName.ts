/** Longest file name kept, in UTF-16 code units; the ending survives shortening. */
export const longestFileName = 200;

/**
 * A safe display name for a file as it arrived: path parts, control characters and bidirectional overrides go,
 * over-long names are shortened before their ending. Returns the name and what was changed, in words.
 */
export function tidyFileName(raw: string): { readonly name: string; readonly changed: readonly string[] } {
  const changed: string[] = [];
  let name = raw.normalize('NFC');
  const lastPart = name.split(/[/\\]/).at(-1)!;
  if (lastPart !== name) {
    name = lastPart;
    changed.push('the path was left out');
  }
  const printable = name.replace(/[\p{Cc}\p{Cs}\p{Noncharacter_Code_Point}\u202A-\u202E\u2066-\u2069\u200E\u200F]/gu, '');
  if (printable !== name) {
    name = printable;
    changed.push('control characters were left out');
  }
  name = name.trim();
  if (name === '' || name === '.' || name === '..') {
    name = 'unnamed';
    changed.push('it had no usable name');
  }
  if (name.length > longestFileName) {
    const dot = name.lastIndexOf('.');
    const ending = dot > 0 && name.length - dot <= 12 ? name.slice(dot) : '';
    name = `${name.slice(0, longestFileName - ending.length - 1).replace(/[\uD800-\uDBFF]$/, '')}…${ending}`;
    changed.push('the name was shortened');
  }
  return { name, changed };
}

/** A title from a file name: without its ending, separators as spaces. */
export function titleFromFileName(name: string): string {
  const dot = name.lastIndexOf('.');
  const stem = dot > 0 ? name.slice(0, dot) : name;
  return stem.replace(/[_]+/g, ' ').replace(/\s+/g, ' ').trim() || name;
}

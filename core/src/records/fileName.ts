/** Longest file name kept, in UTF-16 code units; the ending survives shortening. */
export const longestFileName = 200;

/** What a file name loses: its path, control characters, all of it, its end. */
export type NameChange = 'path' | 'controls' | 'unnamed' | 'shortened';

/**
 * A safe display name for a file as it arrived: path parts, control characters and bidirectional overrides go,
 * over-long names are shortened before their ending. Returns the name and what was changed.
 */
export function tidyFileName(raw: string): { readonly name: string; readonly changed: readonly NameChange[] } {
  const changed: NameChange[] = [];
  let name = raw.normalize('NFC');
  const lastPart = name.split(/[/\\]/).at(-1)!;
  if (lastPart !== name) {
    name = lastPart;
    changed.push('path');
  }
  const printable = name.replace(/[\p{Cc}\p{Cs}\p{Noncharacter_Code_Point}\u202A-\u202E\u2066-\u2069\u200E\u200F]/gu, '');
  if (printable !== name) {
    name = printable;
    changed.push('controls');
  }
  name = name.trim();
  if (name === '' || name === '.' || name === '..') {
    name = 'unnamed';
    changed.push('unnamed');
  }
  if (name.length > longestFileName) {
    const dot = name.lastIndexOf('.');
    const ending = dot > 0 && name.length - dot <= 12 ? name.slice(dot) : '';
    name = `${name.slice(0, longestFileName - ending.length - 1).replace(/[\uD800-\uDBFF]$/, '')}…${ending}`;
    changed.push('shortened');
  }
  return { name, changed };
}

/** A title from a file name: without its ending, separators as spaces. */
export function titleFromFileName(name: string): string {
  const dot = name.lastIndexOf('.');
  const stem = dot > 0 ? name.slice(0, dot) : name;
  return stem.replace(/[_]+/g, ' ').replace(/\s+/g, ' ').trim() || name;
}

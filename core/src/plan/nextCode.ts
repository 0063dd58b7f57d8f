/** The part of a code that is a number to be found: `{n}`, `{nn}`, … as many digits as letters. */
const counter = /\{(n+)\}/;

/** Whether a code is a pattern such as `PIL-{nn}`. */
export function isCodePattern(code: string): boolean {
  return counter.test(code);
}

/**
 * The next code of a pattern: one more than the highest number that any of the taken codes has in it, from 1 on, so that a
 * code that was given up is never given again. `PIL-{nn}` after `PIL-01` and `PIL-07` is `PIL-08`; more digits come when they
 * are needed. A code that is no pattern is given back as it is.
 */
export function nextCode(pattern: string, taken: Iterable<string>): string {
  const match = counter.exec(pattern);
  if (!match) return pattern;
  const before = pattern.slice(0, match.index);
  const after = pattern.slice(match.index + match[0].length);
  let highest = 0;
  for (const code of taken) {
    if (!code.startsWith(before) || !code.endsWith(after) || code.length <= before.length + after.length) continue;
    const number = code.slice(before.length, code.length - after.length);
    if (/^\d{1,9}$/.test(number)) highest = Math.max(highest, Number(number));
  }
  return `${before}${String(highest + 1).padStart(match[1]!.length, '0')}${after}`;
}

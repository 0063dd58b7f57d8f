import type { NumberPart } from './numbering.js';

/** One character of a number: itself, a digit, or all of a field whose text is not known, under the name of that field. */
interface Step {
  readonly of: string;
  /** Whether more of its kind may follow. */
  readonly stays: boolean;
}

const digits = (n: number, more = false): Step[] => Array.from({ length: n }, (_, i) => ({ of: 'digit', stays: more && i === n - 1 }));

function stepsOf(part: NumberPart): Step[] {
  switch (part.kind) {
    case 'text':
      return [...part.text].map((of) => ({ of, stays: false }));
    case 'year':
      return digits(4);
    case 'month':
    case 'day':
      return digits(2);
    case 'counter':
      return digits(part.width, true);
    case 'fact':
      return [{ of: `{fact ${part.fact}}`, stays: false }];
    case 'type':
      return [{ of: '{type}', stays: false }];
    // What is filed right in a series has the series as its place.
    case 'series':
    case 'place':
      return [{ of: '{series}', stays: false }];
  }
}

/** A character that both may have, or null. */
function common(a: string, b: string): string | null {
  if (a === b) return a === 'digit' ? '1' : a;
  const [digit, other] = a === 'digit' ? [a, b] : [b, a];
  return digit === 'digit' && /^\d$/.test(other) ? other : null;
}

/**
 * A number that two schemes can both make, or null where there is none. Series, types and facts meet themselves only: that somebody files
 * under a fact which reads like the beginning of another scheme is found when it happens, and passed over.
 *
 *     numberingsMeet(parse('L-{nnn}'), parse('L-{nnnn}'))   // 'L-1111'
 */
export function numberingsMeet(a: readonly NumberPart[], b: readonly NumberPart[]): string | null {
  const [left, right] = [a.flatMap(stepsOf), b.flatMap(stepsOf)];
  const width = right.length + 1;
  const queue: { readonly i: number; readonly j: number; readonly text: string }[] = [{ i: 0, j: 0, text: '' }];
  const seen = new Set([0]);
  for (let at = 0; at < queue.length; at++) {
    const { i, j, text } = queue[at]!;
    if (i === left.length && j === right.length) return text;
    const go = (nextI: number, nextJ: number, char: string | null): void => {
      const key = nextI * width + nextJ;
      if (char === null || seen.has(key)) return;
      seen.add(key);
      queue.push({ i: nextI, j: nextJ, text: text + char });
    };
    // A step that stays may be taken again: the one before this one, which was entered already.
    const again = (steps: readonly Step[], k: number): string | null => (k > 0 && steps[k - 1]!.stays ? steps[k - 1]!.of : null);
    const [l, r] = [left[i]?.of ?? null, right[j]?.of ?? null];
    const [againL, againR] = [again(left, i), again(right, j)];
    if (l !== null && r !== null) go(i + 1, j + 1, common(l, r));
    if (l !== null && againR !== null) go(i + 1, j, common(l, againR));
    if (againL !== null && r !== null) go(i, j + 1, common(againL, r));
  }
  return null;
}

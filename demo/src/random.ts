/** A small seeded generator (mulberry32): the same seed gives the same demo on every machine. */
export interface Random {
  /** [0, 1) */
  next(): number;
  /** Whole number in [from, to]. */
  whole(from: number, to: number): number;
  pick<T>(from: readonly T[]): T;
  /** 36 characters in the shape of a UUID (version 8, RFC 9562 §5.8: free to fill). */
  id(): string;
}

export function seeded(seed: number): Random {
  let state = seed >>> 0;
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
  const hex = (digits: number): string => Array.from({ length: digits }, () => Math.floor(next() * 16).toString(16)).join('');
  return {
    next,
    whole: (from, to) => from + Math.floor(next() * (to - from + 1)),
    pick: (from) => from[Math.floor(next() * from.length)]!,
    id: () => `${hex(8)}-${hex(4)}-8${hex(3)}-a${hex(3)}-${hex(12)}`,
  };
}

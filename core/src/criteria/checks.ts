/** How a text that fits a pattern is checked. Each is told by the way it works: the same one stands behind many numbers. */
export const checks = ['none', 'luhn', 'mod97', 'mod97of10', 'mod11', 'mod11of2', 'mod11of10', 'verhoeff'] as const;
export type Check = (typeof checks)[number];

/** Takes the signs of a text one after another, and says after each whether what it has taken passes. */
export interface Checking {
  /** False when nothing that begins like this can pass. */
  take(sign: string): boolean;
  passes(): boolean;
}

/** What may stand at a place of a text that a check takes. */
type Signs = 'digits' | 'letters' | 'both' | 'digits and X';

interface Kind {
  /** Fewest and most letters and digits. */
  readonly length: readonly [number, number];
  /** What stands at a place from the start, and what at the last one. */
  at(place: number): Signs;
  readonly last?: Signs;
  make(): Checking;
}

const isDigit = (sign: string): boolean => sign >= '0' && sign <= '9';
const digitsOnly = (): Signs => 'digits';

/** Luhn’s sum (ISO/IEC 7812-1 annex B) both ways, since which digits are doubled is known only with the last one. */
function luhn(): Checking {
  let length = 0;
  let anyOther = false;
  const sums = [0, 0];
  return {
    take(sign) {
      const digit = Number(sign);
      const doubled = digit > 4 ? digit * 2 - 9 : digit * 2;
      sums[length % 2]! += doubled;
      sums[(length + 1) % 2]! += digit;
      length++;
      anyOther ||= sign !== '0';
      return isDigit(sign);
    },
    // Nothing but zeros is a form that nobody filled in.
    passes: () => length > 1 && anyOther && sums[length % 2]! % 10 === 0,
  };
}

/** One more sign of a number in base 10, letters as numbers from 10, modulo 97. */
const on97 = (remainder: number, sign: string): number => {
  const value = isDigit(sign) ? Number(sign) : sign.charCodeAt(0) - 55;
  return (remainder * (value > 9 ? 100 : 10) + value) % 97;
};

/** Letters and digits of an account number (ISO 13616-1 §5). */
const longestAccount = 34;

/** The remainder of what follows the first four signs, and these, kept to come last (ISO 13616-1 §6). */
function mod97(): Checking {
  let head = '';
  let rest = 0;
  let length = 0;
  return {
    take(sign) {
      const wanted = length < 2 ? /[A-Z]/ : length < 4 ? /[0-9]/ : /[A-Z0-9]/;
      if (!wanted.test(sign)) return false;
      if (length < 4) head += sign;
      else rest = on97(rest, sign);
      return ++length <= longestAccount;
    },
    passes: () => length >= 15 && [...head].reduce(on97, rest) === 1,
  };
}

/** MOD 97-10 of the whole (ISO/IEC 7064). */
function mod97of10(): Checking {
  let remainder = 0;
  let length = 0;
  let anyOther = false;
  return {
    take(sign) {
      remainder = on97(remainder, sign);
      length++;
      anyOther ||= sign !== '0';
      return /[A-Z0-9]/.test(sign);
    },
    passes: () => length > 2 && anyOther && remainder === 1,
  };
}

/** Weights 1, 2, 3 … from the last sign on, the sum a multiple of 11; X stands for ten at the end. */
function mod11(): Checking {
  let sum = 0;
  let sumOfSums = 0;
  let length = 0;
  let over = false;
  return {
    take(sign) {
      if (over) return false;
      const ten = sign === 'X';
      over = ten;
      // Each sum counts all signs before once more, which is what weights that grow from the end come to.
      sum += ten ? 10 : Number(sign);
      sumOfSums += sum;
      length++;
      return ten || isDigit(sign);
    },
    passes: () => length > 2 && sum > 0 && sumOfSums % 11 === 0,
  };
}

/** MOD 11-2 (ISO/IEC 7064): X stands for ten at the end. */
function mod11of2(): Checking {
  let value = 0;
  let length = 0;
  let over = false;
  let anyOther = false;
  return {
    take(sign) {
      if (over) return false;
      over = sign === 'X';
      value = (value * 2 + (over ? 10 : Number(sign))) % 11;
      length++;
      anyOther ||= sign !== '0';
      return over || isDigit(sign);
    },
    passes: () => length > 2 && anyOther && value === 1,
  };
}

/** MOD 11,10 (ISO/IEC 7064). */
function mod11of10(): Checking {
  let product = 10;
  let passes = false;
  let length = 0;
  let anyOther = false;
  return {
    take(sign) {
      const digit = Number(sign);
      passes = (product + digit) % 10 === 1;
      product = (((product + digit) % 10 || 10) * 2) % 11;
      length++;
      anyOther ||= sign !== '0';
      return isDigit(sign);
    },
    passes: () => length > 2 && anyOther && passes,
  };
}

/** Products in the dihedral group of ten (J. Verhoeff 1969). */
const dihedral = (a: number, b: number): number => {
  const [x, y] = [a % 5, b % 5];
  if (a < 5) return b < 5 ? (x + y) % 5 : ((x + y) % 5) + 5;
  return b < 5 ? ((5 + x - y) % 5) + 5 : (5 + x - y) % 5;
};
/** How a digit is exchanged at a place counted from the end. */
const exchanged: readonly (readonly number[])[] = (() => {
  const once = [1, 5, 7, 6, 2, 8, 3, 0, 9, 4];
  const rounds = [Array.from({ length: 10 }, (_, i) => i)];
  for (let i = 1; i < 8; i++) rounds.push(rounds[i - 1]!.map((d) => once[d]!));
  return rounds;
})();

/** Verhoeff’s check; places count from the end, so that it is worked out when it is asked for. */
function verhoeff(): Checking {
  const digits: number[] = [];
  return {
    take(sign) {
      digits.push(Number(sign));
      return isDigit(sign) && digits.length <= longestVerhoeff;
    },
    passes() {
      if (digits.length < 3 || digits.every((d) => d === 0)) return false;
      let product = 0;
      for (let i = 0; i < digits.length; i++) product = dihedral(product, exchanged[i % 8]![digits[digits.length - 1 - i]!]!);
      return product === 0;
    },
  };
}
const longestVerhoeff = 34;

const kinds: Readonly<Record<Exclude<Check, 'none'>, Kind>> = {
  luhn: { length: [2, Infinity], at: digitsOnly, make: luhn },
  mod97: { length: [15, longestAccount], at: (place) => (place < 2 ? 'letters' : place < 4 ? 'digits' : 'both'), make: mod97 },
  mod97of10: { length: [3, Infinity], at: () => 'both', make: mod97of10 },
  mod11: { length: [3, Infinity], at: digitsOnly, last: 'digits and X', make: mod11 },
  mod11of2: { length: [3, Infinity], at: digitsOnly, last: 'digits and X', make: mod11of2 },
  mod11of10: { length: [3, Infinity], at: digitsOnly, make: mod11of10 },
  verhoeff: { length: [3, longestVerhoeff], at: digitsOnly, make: verhoeff },
};

export const checkingOf = (check: Exclude<Check, 'none'>): Checking => kinds[check].make();

/** Whether a text of letters and digits passes a check. */
export function passesCheck(check: Check, text: string): boolean {
  if (check === 'none') return true;
  const checking = checkingOf(check);
  return [...text].every((sign) => checking.take(sign)) && checking.passes();
}

const takes = (signs: Signs, sign: string): boolean => {
  if (sign === '#') return signs !== 'letters';
  if (sign === '@') return signs !== 'digits';
  if (isDigit(sign)) return signs !== 'letters';
  return signs === 'letters' || signs === 'both' || (signs === 'digits and X' && sign.toUpperCase() === 'X');
};

/** Whether any text that fits a pattern could pass a check: signs of the pattern as in `patternProblem`, `*` as any number of letters and digits. */
export function couldPass(check: Check, pattern: string): boolean {
  if (check === 'none') return true;
  const kind = kinds[check];
  const signs = [...pattern].filter((sign) => /[#@*\p{L}\p{N}]/u.test(sign));
  const open = signs.at(-1) === '*';
  const fixed = open ? signs.slice(0, -1) : signs;
  const [fewest, most] = kind.length;
  if (fixed.length > most || (!open && fixed.length < fewest)) return false;
  return fixed.every((sign, i) => takes(!open && i === fixed.length - 1 ? (kind.last ?? kind.at(i)) : kind.at(i), sign));
}

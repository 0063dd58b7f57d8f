// Control characters, halves of a surrogate pair, and noncharacters (Unicode 16, §23.7).
const unfit = /[\p{Cc}\p{Cs}\p{Noncharacter_Code_Point}]/u;
const unfitInProse = /[^\P{Cc}\t\n\r]|[\p{Cs}\p{Noncharacter_Code_Point}]/u;

/**
 * Whether a text can go wherever texts of records go: into XML 1.0 (§2.2, without what it advises against), names of files,
 * JSON (RFC 8259 §8.2) and PostgreSQL. `prose` may have several lines and tabs.
 *
 *     isSoundText('Lease 4/2027')  // true
 *     isSoundText('two\nlines')    // false, but true of prose
 */
export function isSoundText(text: string, prose = false): boolean {
  return !(prose ? unfitInProse : unfit).test(text);
}

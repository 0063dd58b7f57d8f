import type { AccessMark } from '@key-cellar/contract';

const shipped: Readonly<Record<string, string>> = {
  reader: $localize`:letter of Reader:R`,
  borrower: $localize`:letter of Borrower:B`,
  depositor: $localize`:letter of Depositor:D`,
  editor: $localize`:letter of Editor:E`,
  steward: $localize`:letter of Steward:S`,
  keeper: $localize`:letter of Keeper:K`,
  counsel: $localize`:letters of Counsel:Co`,
  approver: $localize`:letters of Approver:Ap`,
  auditor: $localize`:letters of Auditor:Au`,
  administrator: $localize`:letters of Administrator:Ad`,
};

/** The letters that stand for a profile; for one of the repository’s own the first three of its title. */
export const lettersOf = ({ code, title }: { readonly code: string; readonly title: string }): string => shipped[code] ?? title.slice(0, 3);

/** What a cell shows: letters of two profiles at most; of more the first, and how many more. */
export function markLetters({ profiles: all }: AccessMark): { readonly text: string; readonly here: boolean }[] {
  const shown = all.slice(0, all.length > 2 ? 1 : 2).map((p) => ({ text: lettersOf(p), here: p.here }));
  return all.length > 2 ? [...shown, { text: `+${all.length - 1}`, here: false }] : shown;
}

/** A mark in words, for who hears it and for the tooltip. */
export function markWords({ profiles: all, ceiling }: AccessMark): string {
  if (all.length === 0) return $localize`nothing`;
  const words = all.map((p) => (p.here ? $localize`${p.title}:profile: (given here)` : p.title)).join(', ');
  return ceiling ? $localize`${words}:profiles:; the clearance is too low for it` : words;
}

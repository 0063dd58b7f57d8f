import { profiles } from '@key-cellar/core/access';

type ProfileCode = (typeof profiles)[number]['code'];

const titles: Readonly<Record<string, string>> = {
  reader: $localize`Reader`,
  borrower: $localize`Borrower`,
  depositor: $localize`Depositor`,
  editor: $localize`Editor`,
  steward: $localize`Steward`,
  keeper: $localize`Keeper`,
  counsel: $localize`Counsel`,
  approver: $localize`Approver`,
  auditor: $localize`Auditor`,
  administrator: $localize`Administrator`,
};

/** What a profile is called. */
export const profileTitle = (code: string): string => titles[code] ?? code;

export const profileOptions: readonly { readonly value: ProfileCode; readonly name: string }[] = profiles.map((p) => ({
  value: p.code,
  name: profileTitle(p.code),
}));

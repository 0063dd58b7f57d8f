import type { MailHow, MailKind, MailLine } from '@key-cellar/contract';

/** What messages of a kind are about. */
export const kindWords: Readonly<Record<MailKind, string>> = {
  question: $localize`Whether records are still needed`,
  review: $localize`Records to review`,
  notice: $localize`Notices of what is to be disposed of`,
  objection: $localize`Objections to a batch`,
  'objection answered': $localize`Answers to your objections`,
  'hold notice': $localize`Holds that concern you`,
  access: $localize`Access that is asked for, or was given`,
  ledger: $localize`Tree heads of the ledger`,
};

export const howOptions: readonly { readonly value: MailHow; readonly name: string }[] = [
  { value: 'now', name: $localize`at once` },
  { value: 'daily', name: $localize`once a day, together` },
  { value: 'never', name: $localize`not by mail` },
];

export const mailStates: Readonly<Record<MailLine['state'], string>> = {
  waiting: $localize`waiting`,
  sending: $localize`being sent`,
  sent: $localize`sent`,
  refused: $localize`refused`,
  uncertain: $localize`may have arrived`,
  returned: $localize`came back`,
};

import { rights, type Right } from '@key-cellar/core/access';

const titles: Readonly<Record<Right, string>> = {
  discover: $localize`discover: find it, with title and number`,
  read: $localize`read it on the screen`,
  copyOut: $localize`copy out: download, print, copy text`,
  deposit: $localize`deposit something new`,
  annotate: $localize`annotate`,
  edit: $localize`edit content and facts`,
  move: $localize`move, and override due dates`,
  declare: $localize`declare`,
  revoke: $localize`revoke a declaration`,
  link: $localize`make visitor passes`,
  grant: $localize`give access`,
  hold: $localize`hold`,
  dispose: $localize`dispose`,
  approve: $localize`approve disposals`,
  audit: $localize`audit, also in what stands alone`,
  setUp: $localize`set up the repository, all of it`,
  people: $localize`look after people and groups`,
  connect: $localize`look after programs, mail and what is outside`,
  arrange: $localize`arrange record types and numbering`,
};

/** Every right with what it lets somebody do, in their order. */
export const rightTitles: readonly { readonly right: Right; readonly title: string }[] = rights.map((right) => ({
  right,
  title: titles[right],
}));

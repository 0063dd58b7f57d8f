import { message } from '@key-cellar/words';
import { notFound, programActor, requireRight, withUnitOfWork, type Act, type Actor, type SignedIn } from '../kernel/index.js';
import { recompute } from '../schedule/index.js';
import { recordKind } from './kinds.js';
import type { Services } from './services.js';
import * as store from './store.js';
import type { StoredRow } from './view.js';

/** What goes on within this time about the same content is one reading, or one copy fetched in parts. */
const oneActMinutes = 10;

/** Who reads: a person, or a visitor by their pass. */
type Reader = Actor & { readonly id: string };

/** A content as it may leave to somebody: what it is of, and what the ledger says then. */
export interface Leaving {
  readonly subject: Act['subject'];
  readonly content: StoredRow;
  /** Whether its pages bear the name of whoever reads them. */
  readonly namesReader?: boolean;
  /** What the entry says besides; with the fingerprint of the content. */
  readonly about: Readonly<Record<string, unknown>>;
}

/** Finds a version that a person may read (to see) or copy out (to keep); without a number the newest. */
export async function versionLeaving(
  services: Services,
  person: SignedIn,
  id: string,
  no: number | undefined,
  right: 'read' | 'copyOut',
): Promise<Leaving & { readonly content: store.VersionRow }> {
  const access = await services.access.of(person);
  const record = requireRight(access, person, await store.recordById(services.pool, id), right);
  const versions = await store.versionsOf(services.pool, id);
  const version = no === undefined ? versions[0] : versions.find((v) => v.no === no);
  if (!version) throw notFound(message('thing.version'));
  const namesReader = await store.namesReader(services.pool, record.places);
  return { subject: recordKind.subject(record), content: version, namesReader, about: { version: version.no } };
}

/**
 * The one gate through which bytes leave to a person, whatever they leave as: `give` makes what leaves of verified content,
 * and the ledger says so before it does. Nothing is said of what could not be given, and nothing is given that was not said.
 * What `goesOn` with an act said lately is not said again; what begins anew always is.
 */
export async function leave<T>(
  services: Services,
  person: Reader,
  { subject, content, about }: Leaving,
  act: 'read content' | 'took a copy',
  give: () => Promise<T>,
  { goesOn = true }: { goesOn?: boolean } = {},
): Promise<T> {
  const given = await give();
  const sha256 = content.sha256.toString('hex');
  let used = false;
  await withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const said = { by: person.id, act, subject: subject.id, sha256, at: uow.at, minutes: oneActMinutes };
      if (!goesOn || !(await store.saidLately(uow, said))) uow.enter({ act, subject, after: { ...about, sha256 } });
      if (subject.kind === 'record') used = await store.noteUse(uow, subject.id!, person.today);
    },
    'none',
  );
  if (used) void dateByUse(services, person, subject.id!);
  return given;
}

/** Dates a record anew whose clock starts with its last use. Nobody waits for it: before it is disposed of, it is judged again anyway. */
async function dateByUse(services: Services, { today }: Pick<SignedIn, 'today'>, id: string): Promise<void> {
  try {
    const book = await services.rules.current(services.pool);
    const byUse = Object.values(book.data.versions)
      .flat()
      .some(({ trigger }) => trigger.kind === 'recordDate' && trigger.date === 'lastUsed');
    if (byUse) await withUnitOfWork(services.pool, programActor('clock', today), (uow) => recompute(uow, [id], book, today));
  } catch (error) {
    services.log.warn({ err: error, recordId: id }, 'a record could not be dated anew after it was used');
  }
}

import { notFound, requireRight, withUnitOfWork, type SignedIn } from '../kernel/index.js';
import { recordKind } from './kinds.js';
import type { Services } from './services.js';
import * as store from './store.js';

/** Finds the content of a version that a person may read (to see) or copy out (to keep). */
export async function contentFor(
  services: Services,
  person: SignedIn,
  id: string,
  no: number | undefined,
  right: 'read' | 'copyOut',
): Promise<{ record: store.RecordRow; version: store.VersionRow }> {
  const access = await services.access.of(person);
  const record = requireRight(access, person, await store.recordById(services.pool, id), right);
  const versions = await store.versionsOf(services.pool, id);
  const version = no === undefined ? versions[0] : versions.find((v) => v.no === no);
  if (!version) throw notFound('This version');
  return { record, version };
}

/** Says in the ledger that somebody read a version, or took a copy of it. */
export function enterReading(
  services: Services,
  person: SignedIn,
  record: store.RecordRow,
  version: store.VersionRow,
  act: 'read content' | 'took a copy',
): Promise<void> {
  const after = { version: version.no, sha256: version.sha256.toString('hex') };
  return withUnitOfWork(services.pool, person, (uow) => uow.enter({ act, subject: recordKind.subject(record), after }), 'none');
}

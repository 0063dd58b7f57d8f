import { message } from '@key-cellar/words';
import type { EntityLine } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { notAllowed, wrongField, type PersonAccess, type Services, type Subject, type UnitOfWork } from '../kernel/index.js';
import { foundBy, knowsEntities, recordWords } from './facts.js';
import * as store from './store.js';

const mostListed = 500;
const kindWords = { party: 'a party', object: 'a business object' } as const;

export const toEntityLine = (e: store.EntityRow): EntityLine => ({
  id: e.id,
  kind: e.kind,
  name: e.name,
  code: e.code,
  retiredOn: e.retired_on,
  records: e.records,
});

export const entitySubject = (e: { id: string; kind: string; name: string }): Subject => ({ kind: e.kind, id: e.id, name: e.name });
export const changed = (kind: 'party' | 'object'): string => `changed ${kindWords[kind]}`;
export const added = (kind: 'party' | 'object'): string => `added ${kindWords[kind]}`;

/** Whoever works with records somewhere may see whom and what they are about; the counts are those of records they may discover. */
export async function listEntities(
  services: Services,
  access: PersonAccess,
  kind: 'party' | 'object',
  text: string,
): Promise<{ entities: EntityLine[]; more: boolean }> {
  if (!knowsEntities(access)) throw notAllowed('discover');
  const found = await store.entities(services.pool, kind, text.trim(), access.sets('discover'), mostListed + 1);
  return { entities: found.slice(0, mostListed).map(toEntityLine), more: found.length > mostListed };
}

export async function requireFreeName(uow: UnitOfWork, kind: string, name: string, exceptId: string): Promise<void> {
  if (await store.entityNameTaken(uow, kind, name, exceptId)) throw wrongField('/name', message('facts.thereOneCalledAlready', { name }));
}

/** Writes a party or business object as it is from now on; what refers to it is found by its new name. */
export async function rewriteEntity(
  uow: UnitOfWork,
  before: { id: string; name: string },
  after: { name: string; code: string; note: string; retiredOn: string | null },
): Promise<void> {
  await store.writeEntity(uow, { id: before.id, ...after });
  if (before.name === after.name) return;
  for (const r of await store.referring(uow, before.id)) {
    const names = await foundBy(uow, r.facts);
    await store.writeSearch(uow, r.id, recordWords(r.title, r.number, r.facts, names));
  }
}

/** Adds a party or business object in the caller's transaction. */
export async function addEntity(
  uow: UnitOfWork,
  input: { kind: 'party' | 'object'; name: string; code: string; note: string },
): Promise<string> {
  const id = uuidv7();
  await requireFreeName(uow, input.kind, input.name, id);
  await store.addEntity(uow, { ...input, id });
  uow.enter({ act: added(input.kind), subject: entitySubject({ ...input, id }), after: input });
  return id;
}

import type { EntityLine, EntityPage } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { idsIn } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { changedMeanwhile, notAllowed, notFound, wrongField } from '../problem.js';
import { addEntityEvents, entityEvents } from '../schedule/index.js';
import type { Services } from '../services.js';
import * as store from './factStore.js';
import { namesOf, recordWords } from './facts.js';
import * as records from './store.js';
import { toLine } from './service.js';

const mostListed = 500;
const mostNewest = 50;

const toEntityLine = (e: store.EntityRow): EntityLine => ({
  id: e.id,
  kind: e.kind,
  name: e.name,
  code: e.code,
  retiredOn: e.retired_on,
  records: e.records,
});
const subject = (e: { id: string; kind: string; name: string }) => ({ kind: e.kind, id: e.id, name: e.name });
const kindWords = { party: 'a party', object: 'a business object' } as const;

/** Whoever works with records somewhere may see whom and what they are about; the counts are those of records they may discover. */
export async function listEntities(
  services: Services,
  person: SignedIn,
  kind: 'party' | 'object',
  text: string,
): Promise<{ entities: EntityLine[]; more: boolean }> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'discover')) throw notAllowed('discover');
  const found = await store.entities(services.pool, kind, text.trim(), access.sets('discover'), mostListed + 1);
  return { entities: found.slice(0, mostListed).map(toEntityLine), more: found.length > mostListed };
}

export async function entityPage(services: Services, person: SignedIn, id: string): Promise<EntityPage> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'discover')) throw notFound('This');
  const found = await store.entityById(services.pool, id, access.sets('discover'));
  if (!found) throw notFound('This');
  const [newest, events] = await Promise.all([
    records.referringTo(services.pool, id, access.sets('discover'), mostNewest),
    entityEvents(services.pool, id),
  ]);
  return { ...toEntityLine(found), note: found.note, revision: found.revision, newest: newest.map(toLine), events };
}

async function requireEditor(services: Services, person: SignedIn): Promise<void> {
  const { anywhere } = await services.access.of(person);
  if (!hasRight(anywhere, 'edit')) throw notAllowed('edit', 'Editors and keepers look after parties and business objects.');
}

async function requireFreeName(uow: UnitOfWork, kind: string, name: string, exceptId: string): Promise<void> {
  if (await store.entityNameTaken(uow, kind, name, exceptId)) throw wrongField('/name', `There is one called ${name} already.`);
}

export async function makeEntity(
  services: Services,
  person: SignedIn,
  input: { kind: 'party' | 'object'; name: string; code: string; note: string },
): Promise<string> {
  await requireEditor(services, person);
  return withUnitOfWork(services.pool, person, (uow) => addEntity(uow, input));
}

/** Adds a party or business object in the caller's transaction. */
export async function addEntity(
  uow: UnitOfWork,
  input: { kind: 'party' | 'object'; name: string; code: string; note: string },
): Promise<string> {
  const id = uuidv7();
  await requireFreeName(uow, input.kind, input.name, id);
  await store.addEntity(uow, { ...input, id });
  uow.enter({ act: `added ${kindWords[input.kind]}`, subject: subject({ ...input, id }), after: input });
  return id;
}

export async function changeEntity(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; name: string; code: string; note: string; retired: boolean },
): Promise<number> {
  await requireEditor(services, person);
  const access = await services.access.of(person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const before = await store.lockEntity(uow, id);
    if (!before) throw notFound('This');
    if (before.revision !== input.revision) throw changedMeanwhile();
    await requireFreeName(uow, before.kind, input.name, id);
    const retiredOn = input.retired ? (before.retired_on ?? person.today) : null;
    await store.writeEntity(uow, { id, name: input.name, code: input.code, note: input.note, retiredOn });
    uow.enter({
      act: `changed ${kindWords[before.kind]}`,
      subject: subject({ id, kind: before.kind, name: input.name }),
      before: { name: before.name, code: before.code, note: before.note, retiredOn: before.retired_on },
      after: { name: input.name, code: input.code, note: input.note, retiredOn },
    });
    if (before.name !== input.name) {
      // What refers to it is found by its new name from now on.
      for (const r of await store.referring(uow, id)) {
        const names = Object.values(await namesOf(uow, access, idsIn(r.facts)));
        await store.writeSearch(uow, r.id, recordWords(r.title, r.number, r.facts, names));
      }
    }
    return before.revision + 1;
  });
}

/** Records something that happened to a party or business object; the clocks of what refers to it may start with it. */
export async function addEntityEvent(
  services: Services,
  person: SignedIn,
  id: string,
  input: { type: string; on: string; note: string },
): Promise<{ id: string; recomputed: number }> {
  await requireEditor(services, person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const found = await store.lockEntity(uow, id);
    if (!found) throw notFound('This');
    return addEntityEvents(services, uow, { id, subject: subject(found) }, input);
  });
}

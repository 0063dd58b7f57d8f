import { setTimeout } from 'node:timers/promises';
import {
  loadRuleBook,
  openPool,
  countObjects,
  lookForSigns,
  tendObjects,
  programActor,
  recompute,
  row,
  run,
  startServices,
  withUnitOfWork,
  type Services,
  writeSetting,
  type Config,
} from '@key-cellar/server';
import { people } from './people.js';
import { demoToday, makeRecords } from './records.js';
import { timeZone, begin, setClock, inParts, type Loaded } from './chapters/scene.js';
import { addPeople, addGrants } from './chapters/people.js';
import { addPlaces, addFolderFacts } from './chapters/places.js';
import { addSchedule, addEvents } from './chapters/schedule.js';
import { addEntities, makeFiles, addRecords } from './chapters/records.js';
import { addHistory } from './chapters/history.js';
import { addArrivals } from './chapters/arrivals.js';
import { addActs } from './chapters/story.js';
import { addDirectory } from './chapters/directory.js';

/**
 * The records were all loaded before the holds were placed. Those filed later came to match later: only the owner of the
 * database can say so, which is what a loader is run as.
 */
async function spreadCovers(config: Config): Promise<void> {
  const owner = openPool(config.ownerUrl, 1);
  await owner.query(
    `update hold_cover c set since = r.filed_on + time '09:30', because = 'came to match its criteria'
     from record r, hold h where r.id = c.record_id and h.id = c.hold_id and h.criteria is not null and r.filed_on > c.since`,
  );
  await owner.end();
}

/** Waits until each content has its copy: what was stored years ago by the clock of the story would be behind. */
async function copyContents(services: Services): Promise<void> {
  for (;;) {
    const { withoutCopy, withoutLock } = await countObjects(services.pool, 1);
    if (withoutCopy + withoutLock === 0) return;
    // The job thread may be at it: then there is nothing to do here for a moment.
    if ((await tendObjects(services, programActor('job', demoToday))) === 0) await setTimeout(200);
  }
}

/** Loads the scenario into an empty, migrated database. Deterministic but for the ids that the acts themselves make. */
export async function loadDemo(config: Config, progress: (line: string) => void): Promise<void> {
  const running = await startServices({ ...config, logLevel: 'warn' });
  const { services } = running;
  try {
    if (await row(services.pool, 'demo.any', `select from principal where kind = 'person' limit 1`)) return;
    progress('making the people, the plan and the schedule');
    const { folders, records } = makeRecords();
    const files = await makeFiles(records);
    progress(`filing ${records.length} records of 1998 to 2026`);
    await setClock(services, begin);
    const partial = await withUnitOfWork(services.pool, programActor('demo', begin), async (uow) => {
      await writeSetting(uow, 'repository', { name: 'Marrowick Harbour Authority', timeZone });
      for (const past of ['pastFrom', 'accessPastFrom']) await writeSetting(uow, past, { on: begin });
      // The loader sweeps itself, each time on the day of the story.
      await writeSetting(uow, 'swept', { on: demoToday });
      await writeSetting(
        uow,
        'demoAccounts',
        people.filter((p) => p.shown).map(({ name, login, what }) => ({ name, login, what })),
      );
      const { personId, groupId } = await addPeople(uow);
      // Only who is signed in decides on a batch; nobody is any more when the story has been told.
      await run(
        uow,
        'demo.signedIn',
        `insert into session (token_hash, principal_id, expires_at, address) select sha256(uuid_send(id)), id, now() + interval '1 day', 'demo' from principal where kind = 'person'`,
      );
      const { placeId, rootId } = await addPlaces(uow, folders);
      const made = { personId, groupId, placeId, rootId };
      await addGrants(uow, made);
      await addSchedule(uow, personId, placeId, folders);
      await addEvents(uow, folders, personId.get('ines')!);
      const entities = await addEntities(uow, records);
      await addFolderFacts(uow, folders, entities);
      await addRecords(uow, made, records, files, entities, services.contents);
      await addHistory(uow, made, records, files);
      const book = await loadRuleBook(uow);
      await inParts(records, (part) =>
        recompute(
          uow,
          part.map((r) => r.id),
          book,
          demoToday,
        ),
      );
      uow.enter({ act: 'loaded the demo', subject: { kind: 'repository', id: rootId, name: 'Marrowick Harbour Authority' } });
      return made;
    });
    await services.sealer.sealNow();
    const loaded: Loaded = { ...partial, services };
    progress('placing holds and running batches');
    await addActs(loaded);
    await spreadCovers(config);
    await run(services.pool, 'demo.signedOut', `delete from session where address = 'demo'`);
    progress('receiving the mail');
    await addArrivals(loaded);
    await setClock(services, demoToday);
    if (running.identityProvider) await addDirectory(loaded, running.identityProvider);
    progress('looking for what should not lie about');
    while ((await lookForSigns(services, programActor('job', demoToday))) > 0);
    if (services.objects) await copyContents(services);
    await services.pool.query('select fold_rack(), fold_rule_use()');
    await services.sealer.sealNow();
    await services.pool.query('analyze record').catch(() => undefined);
  } finally {
    await running.stop();
  }
}

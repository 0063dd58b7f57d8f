import { chmod, readdir, rename, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { migrate } from '../src/kernel/index.js';
import { asOwner, configFor } from './support/database.js';
import { makeWorld, type World } from './support/world.js';

describe('a server says that it is ready', () => {
  let world: World;
  beforeEach(async () => {
    world = await makeWorld();
    await world.file('editor');
    await world.services.sealer.sealNow();
  });
  afterEach(() => world.stop());

  const ready = async (): Promise<{ status: number; failures: string[] }> => {
    const response = await fetch(`${world.base}/ready`);
    return { status: response.status, failures: ((await response.json()) as { failures: string[] }).failures };
  };
  const guards = /guards, rights or owners/;

  it('when all is as it should be', async () => expect(await ready()).toEqual({ status: 200, failures: [] }));

  const changes: Record<string, string> = {
    'a guard sleeps': 'alter table record disable trigger record_guard',
    'a guard is gone': 'drop trigger version_guard on version',
    'a guard does nothing': `create or replace function guard_record() returns trigger language plpgsql as $$ begin return new; end $$`,
    'the application may do more': 'grant delete on ledger_entry to cellar_app',
    'the application may change a column more': 'grant update (id) on record to cellar_app',
    'the application may do less': 'revoke insert on ledger_entry from cellar_app',
    'anybody may call a function': 'grant execute on function dispose_records to public',
    'a table has another owner': 'alter table record owner to cellar_owner',
    'a constraint is gone': 'alter table content_chunk drop constraint content_chunk_bytes_check',
    'it was restored without roles': `do $$ declare t record; begin for t in select tablename from pg_tables where schemaname = 'public' loop
       execute format('revoke all on %I from cellar_app', t.tablename); end loop; end $$; grant select on schema_fingerprint, setting to cellar_app`,
  };
  for (const [what, sql] of Object.entries(changes)) {
    it(`and does not when ${what}`, async () => {
      await asOwner(world.database, (client) => client.query(sql));
      const { status, failures } = await ready();
      expect(status).toBe(503);
      expect(failures.some((failure) => guards.test(failure)))
        .withContext(failures.join())
        .toBeTrue();
    });
  }

  it('again once functions and triggers were put back', async () => {
    await asOwner(world.database, (client) => client.query(changes['a guard does nothing']!));
    // Starting anew does not take what somebody changed for what it should be.
    await migrate(configFor(world.database));
    expect((await ready()).status).toBe(503);
    await migrate(configFor(world.database), { again: true });
    expect(await ready()).toEqual({ status: 200, failures: [] });
  });

  it('and does not when a key is missing, or when others may read it', async () => {
    const { keysDir } = configFor(world.database);
    const signing = (await readdir(keysDir)).find((name) => /^[0-9a-f]{16}\.pem$/.test(name))!;
    await rename(join(keysDir, signing), join(keysDir, 'away'));
    await world.file('editor');
    await world.services.sealer.sealNow().catch(() => undefined);
    expect((await ready()).failures.join()).toContain('is not in');
    await rename(join(keysDir, 'away'), join(keysDir, signing));
    await world.services.sealer.sealNow();
    expect((await ready()).status).toBe(200);
    await chmod(join(keysDir, signing), 0o644);
    await world.file('editor');
    await world.services.sealer.sealNow().catch(() => undefined);
    expect((await ready()).failures.join()).toContain('Others may read');
    await chmod(join(keysDir, signing), 0o600);
  });
});

describe('what a server keeps beside the database', () => {
  it('is nobody else’s to read', async () => {
    const world = await makeWorld();
    await world.file('editor');
    await world.services.sealer.sealNow();
    const { keysDir, standInsDir } = configFor(world.database);
    for (const folder of [keysDir, standInsDir])
      expect((await stat(folder)).mode & 0o077)
        .withContext(folder)
        .toBe(0);
    await world.stop();
  });
});

describe('figures to watch', () => {
  it('are there for who knows the token, and name what waits', async () => {
    const world = await makeWorld({ metricsToken: 'a token for the watch' });
    await world.file('editor');
    await world.services.sealer.sealNow();
    const asked = (token?: string): Promise<Response> =>
      fetch(`${world.base}/metrics`, token === undefined ? {} : { headers: { authorization: `Bearer ${token}` } });
    expect((await asked()).status).toBe(401);
    expect((await asked('a token for the watcH')).status).toBe(401);
    const response = await asked('a token for the watch');
    const text = await response.text();
    expect(response.headers.get('content-type')).toContain('text/plain; version=0.0.4');
    const value = (name: string): number => Number(new RegExp(`^key_cellar_${name} ([\\d.]+)$`, 'm').exec(text)?.[1]);
    expect(value('ledger_sealed_entries')).toBeGreaterThan(3);
    expect(value('ledger_unsealed_entries')).toBe(0);
    expect(value('ledger_not_cosigned_entries')).toBe(0);
    expect(value('ledger_alarm')).toBe(0);
    expect(value('contents_damaged')).toBe(0);
    expect(text).toContain('process_cpu_user_seconds_total');
    await world.stop();
  });

  it('are not there without a token', async () => {
    const world = await makeWorld();
    expect((await fetch(`${world.base}/metrics`)).status).toBe(404);
    await world.stop();
  });
});

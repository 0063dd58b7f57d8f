import { spawn } from 'node:child_process';
import { appendFile, mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { docket, holds, ledger, records, steps } from '@key-cellar/contract';
import { startServer } from '../src/index.js';
import { readConfig } from '../src/kernel/index.js';
import { chapters } from './support/chapters.js';
import { asOwner, configFor, dropDatabase, freshName, pastTheGuards, urlOf } from './support/database.js';
import { eventually } from './support/eventually.js';
import { approvedBatch, Client, executeAndWait, makeWorld, statusOf, type Login, type World } from './support/world.js';

const root = fileURLToPath(new URL('../..', import.meta.url));

function ran(name: string, args: string[], env: NodeJS.ProcessEnv): Promise<{ code: number | null; said: string }> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, ['--import', 'tsx', `tools/${name}.mjs`, ...args], {
      cwd: root,
      env: { ...process.env, ...env },
    });
    let said = '';
    child.stdout.on('data', (part: Buffer) => (said += part.toString()));
    child.stderr.on('data', (part: Buffer) => (said += part.toString()));
    child.on('exit', (code) => resolve({ code, said }));
  });
}

describe('a backup', () => {
  const chapter = chapters();
  let world: World;
  let folder: string;
  let backup: string;
  let held: string;
  let kept: string;
  const envOf = (database: string, keysDir: string, standInsDir: string): NodeJS.ProcessEnv => ({
    DATABASE_URL: urlOf(database),
    LEDGER_NAME: world.database,
    KEYS_DIR: keysDir,
    STANDINS_DIR: standInsDir,
    LOG_LEVEL: 'silent',
  });

  beforeAll(async () => {
    world = await makeWorld();
    folder = await mkdtemp(join(tmpdir(), 'backup-'));
    backup = join(folder, 'monday');
    await world.rule('R-D', world.ids.A01);
    held = (await world.file('editor', { title: 'Held', text: 'Held for the inquiry.', createdOn: '2024-01-01' })).id;
    kept = (await world.file('editor', { title: 'Young', text: 'Not due yet.', createdOn: '2026-08-01' })).id;
    await world.file('editor', { title: 'Gone', text: 'Destroyed before the backup.', createdOn: '2024-01-01' });
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'I-1', title: 'Inquiry', kind: 'inquiry', note: '' } });
    await counsel.call(holds.placeHold, {
      body: { matterId, name: 'Inquiry', reason: 'The inquiry asks for it.', recordIds: [held], custodianIds: [] },
    });
    expect(await executeAndWait(world, await approvedBatch(world))).toContain('1 destroyed');
    await world.services.sealer.sealNow();
  });
  afterAll(async () => {
    await world.stop();
    await rm(folder, { recursive: true, force: true });
  });

  chapter('is written while the repository runs, checked, and readable by its owner alone', async () => {
    const { keysDir, standInsDir } = configFor(world.database);
    const { code, said } = await ran('backup', ['--to', backup], envOf(world.database, keysDir, standInsDir));
    expect(code).withContext(said).toBe(0);
    expect(said).toContain('Written and checked: 3 records');
    expect((await stat(backup)).mode & 0o077).toBe(0);
    const manifest = JSON.parse(await readFile(join(backup, 'backup.json'), 'utf8')) as { files: { path: string }[]; settings: object };
    expect(manifest.files.some((file) => file.path.startsWith('database/'))).toBeTrue();
    expect(manifest.files.some((file) => file.path.endsWith('.keys'))).toBeTrue();
    expect(manifest.settings).toEqual({ LEDGER_NAME: world.database });
    for (const { path } of manifest.files) expect((await stat(join(backup, path))).mode & 0o077).toBe(0);
    expect((await ran('backup', ['--to', backup], envOf(world.database, keysDir, standInsDir))).said).toContain(
      'holds a whole backup already',
    );
    expect((await ran('backup', [], {})).said).toContain('Say where to');
  });

  chapter('is taken up when it was interrupted, and no backup until it is whole', async () => {
    const { keysDir, standInsDir } = configFor(world.database);
    const half = join(folder, 'half');
    // Killed as a machine that loses its power, with all that it started, while the database is being copied.
    const child = spawn(process.execPath, ['--import', 'tsx', 'tools/backup.mjs', '--to', half], {
      cwd: root,
      env: { ...process.env, ...envOf(world.database, keysDir, standInsDir) },
      detached: true,
      stdio: 'ignore',
    });
    const ended = new Promise((resolve) => child.once('exit', resolve));
    await eventually(async () => (await readdir(half)).includes('database'));
    process.kill(-child.pid!, 'SIGKILL');
    await ended;
    expect(await readdir(half)).not.toContain('backup.json');
    const target = freshName();
    const restoring = await ran('restore', ['--from', half], envOf(target, join(folder, 'k0'), join(folder, 's0')));
    expect(restoring.code).toBe(1);
    expect(restoring.said).toContain('holds no whole backup');
    expect((await ran('backup', ['--to', half], envOf(world.database, keysDir, standInsDir))).code).toBe(0);
  });

  chapter('is refused when a byte of it is another, or where something is already', async () => {
    const [data] = (await readdir(join(folder, 'half', 'database'))).filter((name) => name.endsWith('.gz'));
    await appendFile(join(folder, 'half', 'database', data!), 'x');
    const target = freshName();
    const into = envOf(target, join(folder, 'k1'), join(folder, 's1'));
    expect((await ran('restore', ['--from', join(folder, 'half')], into)).said).toContain(`database/${data!} is not what was written`);
    expect((await ran('restore', ['--from', backup], envOf(world.database, join(folder, 'k1'), join(folder, 's1')))).said).toContain(
      'already',
    );
    await mkdir(join(folder, 'full'));
    await writeFile(join(folder, 'full', 'x'), 'x');
    expect((await ran('restore', ['--from', backup], envOf(target, join(folder, 'full'), join(folder, 's1')))).said).toContain(
      'is not empty',
    );
    expect((await ran('restore', ['--from', backup], { ...into, LEDGER_NAME: 'another' })).said).toContain(
      `Set LEDGER_NAME=${world.database}`,
    );
  });

  chapter('put back verifies, reads, holds and disposes as before', async () => {
    const target = freshName();
    const env = envOf(target, join(folder, 'keys'), join(folder, 'stand-ins'));
    // One that was killed half-way is begun again.
    await asOwner('postgres', (client) => client.query(`create database ${target}_restoring`));
    const { code, said } = await ran('restore', ['--from', backup], env);
    expect(code).withContext(said).toBe(0);
    expect(said).toMatch(/All [\d,]+ sealed entries are as they were sealed/);
    expect(said).toContain('All 2 contents are what they were.');
    const running = await startServer({ ...readConfig({ ...process.env, ...env }), port: 0, webDir: null });
    try {
      const as = (login: Login): Client => new Client(`http://127.0.0.1:${running.port}`, world.as(login).cookie);
      expect((await fetch(`http://127.0.0.1:${running.port}/ready`)).status).toBe(200);
      expect(await (await as('editor').fetch(`/api/records/${held}/content`)).text()).toBe('Held for the inquiry.');
      expect(await statusOf(as('outsider').call(records.dossier, { params: { id: held } }))).toBe(404);
      expect(await statusOf(as('editor').call(ledger.state))).toBe(403);
      // What it refused it refuses still, whoever asks.
      await asOwner(target, async (client) => {
        await expectAsync(client.query('delete from ledger_entry')).toBeRejectedWithError(/only grows/);
        await expectAsync(client.query(`update record set state = 'disposed' where id = '${held}'`)).toBeRejected();
      });
      // It goes on where it stood: sealed, cosigned by the same witness, and disposing of what comes due.
      await running.services.sealer.sealNow();
      const { troubles, heads } = await as('auditor').call(ledger.state);
      expect(troubles).toEqual([]);
      expect(heads[0]!.witness).not.toBeNull();
      await pastTheGuards(target, (client) =>
        client.query(`update setting set value = jsonb_set(value, '{offsetDays}', '800') where name = 'clock'`),
      );
      await as('keeper').call(steps.sweep);
      const { groups } = await as('keeper').call(docket.due);
      expect(groups.length).toBe(1);
      expect((await as('counsel').call(records.dossier, { params: { id: held } })).state).toBe('working');
      expect((await as('counsel').call(records.dossier, { params: { id: kept } })).state).toBe('working');
    } finally {
      await running.stop();
      await dropDatabase(target);
    }
  });

  chapter(
    'that is older than the witness is told so, and put right by the witness’s keeper alone',
    async () => {
      await world.file('editor');
      await world.services.sealer.sealNow();
      const target = freshName();
      // The witness outside went on after the backup.
      const env = {
        ...envOf(target, join(folder, 'keys-2'), join(folder, 'stand-ins-2')),
        WITNESS_URL: world.services.outside.witnessUrl,
        WITNESS_KEY: world.services.outside.witnessKey,
      };
      const { code, said } = await ran('restore', ['--from', backup], env);
      expect(code).toBe(1);
      expect(said).toMatch(/The witness saw \d+ entries; here are \d+\. The newest were cut off, or an older state was put back\./);
      await dropDatabase(target);
    },
    300_000,
  );
});

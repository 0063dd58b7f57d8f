import { execFile } from 'node:child_process';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtemp, readdir, readFile, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ledger } from '@key-cellar/contract';
import { requestTimeStamp, timeStampHolds } from '../src/ledger/timeStamp.js';
import type { StandIn } from '../src/standins/listen.js';
import { startTimeAuthority } from '../src/standins/timeAuthority.js';
import { withUnitOfWork } from '../src/index.js';
import { chapters } from './support/chapters.js';
import { asApplication, asOwner } from './support/database.js';
import { makeWorld, today, type World } from './support/world.js';

const verifier = fileURLToPath(new URL('../../tools/verify-ledger.mjs', import.meta.url));
const at = '2026-09-14T10:00:00.000Z';

function verify(file: string): Promise<{ code: number; output: string }> {
  return new Promise((resolve) =>
    execFile(process.execPath, [verifier, file], (error, stdout, stderr) => resolve({ code: error ? 1 : 0, output: stdout + stderr })),
  );
}

describe('a time stamp', () => {
  let authority: StandIn;
  let folder: string;
  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'time-'));
    authority = await startTimeAuthority(folder);
  });
  afterAll(() => authority.stop());

  it('says when, by whom, and over what', async () => {
    const stamp = await requestTimeStamp(authority.url, 'a head', at);
    expect(stamp.at.toISOString()).toBe(at);
    expect(stamp.authority).toBe('Tarrin Sound Time Office');
    expect(await timeStampHolds(stamp.token, 'a head')).toBeTrue();
    expect(await timeStampHolds(stamp.token, 'another head')).toBeFalse();
  });

  it('does not hold when any byte of what is signed was changed', async () => {
    const { token } = await requestTimeStamp(authority.url, 'a head', at);
    const time = token.indexOf('20260914');
    for (const place of [time + 3, token.length - 4]) {
      const changed = Buffer.from(token);
      changed[place]! ^= 1;
      expect(await timeStampHolds(changed, 'a head')).toBeFalse();
    }
    expect(await timeStampHolds(token.subarray(0, 90), 'a head')).toBeFalse();
  });

  it('comes from the same key after a restart', async () => {
    const again = await startTimeAuthority(folder);
    const [one, two] = await Promise.all([authority, again].map((a) => requestTimeStamp(a.url, 'x', at)));
    await again.stop();
    const identity = JSON.parse(await readFile(join(folder, 'identity.json'), 'utf8')) as { certificate: string };
    const certificate = Buffer.from(identity.certificate, 'base64');
    for (const stamp of [one!, two!]) expect(stamp.token.includes(certificate)).toBeTrue();
  });

  it('comes from one key when several servers begin at the same moment', async () => {
    const shared = await mkdtemp(join(tmpdir(), 'time-'));
    const many = await Promise.all(Array.from({ length: 6 }, () => startTimeAuthority(shared)));
    const stamps = await Promise.all(many.map((a) => requestTimeStamp(a.url, 'x', at)));
    await Promise.all(many.map((a) => a.stop()));
    for (const stamp of stamps) expect(await timeStampHolds(stamp.token, 'x')).toBeTrue();
    const identity = JSON.parse(await readFile(join(shared, 'identity.json'), 'utf8')) as { certificate: string };
    for (const { token } of stamps) expect(token.includes(Buffer.from(identity.certificate, 'base64'))).toBeTrue();
    expect(await readdir(shared)).toEqual(['identity.json']);
  });

  it('is refused with a rejection for a query that cannot be read, and by us for a stamp on something else', async () => {
    const reply = await fetch(authority.url, { method: 'POST', body: 'nonsense' });
    expect(reply.headers.get('content-type')).toBe('application/timestamp-reply');
    // An authority that answers every query with the answer to an earlier one.
    let kept: Buffer | null = null;
    const stale = createServer((request, response) => {
      const parts: Buffer[] = [];
      request.on('data', (part: Buffer) => parts.push(part));
      request.on('end', () => {
        const answer = async (): Promise<Buffer> =>
          (kept ??= Buffer.from(await (await fetch(authority.url, { method: 'POST', body: Buffer.concat(parts) as never })).arrayBuffer()));
        answer().then(
          (body) => response.end(body),
          () => response.destroy(),
        );
      });
    });
    await new Promise<void>((resolve) => stale.listen({ port: 0, host: '127.0.0.1', exclusive: true }, resolve));
    const url = `http://127.0.0.1:${(stale.address() as AddressInfo).port}`;
    await requestTimeStamp(url, 'first', at);
    await expectAsync(requestTimeStamp(url, 'second', at)).toBeRejectedWithError(/something else/);
    // The same text, and a nonce of another query: a replay.
    await expectAsync(requestTimeStamp(url, 'first', at)).toBeRejectedWithError(/something else/);
    stale.closeAllConnections();
    await new Promise((resolve) => stale.close(resolve));
  });
});

describe('the newest tree head', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await withUnitOfWork(
      world.pool,
      { id: null, name: 'T', from: 't', today },
      (uow) => uow.enter({ act: 'tested', subject: { kind: 'ledger', id: null, name: 'n' } }),
      'none',
    );
    await world.services.sealer.sealNow();
  });
  afterAll(() => world.stop());

  chapter('is stamped after sealing, shown so, and checked by the whole verification', async () => {
    const { heads } = await world.as('auditor').call(ledger.heads);
    expect(heads[0]!.timeStamp!.authority).toBe('Tarrin Sound Time Office');
    expect(heads[0]!.timeStamp!.at.slice(0, 10)).toBe(today);
    const verdict = await world.as('auditor').call(ledger.verify);
    expect(verdict.ok).toBeTrue();
    expect(verdict.sentence).toContain('Tarrin Sound Time Office stamped the newest tree head.');
  });

  chapter('is checked offline by the small verifier, which names a stamp that was put elsewhere', async () => {
    const folder = await mkdtemp(join(tmpdir(), 'stamp-'));
    await world.services.sealer.sealNow();
    const file = (await (await world.as('auditor').fetch('/api/ledger/export')).json()) as {
      head: { timeStamp: { token: string } };
    };
    const path = join(folder, 'export.json');
    await writeFile(path, JSON.stringify(file));
    const good = await verify(path);
    expect(good.code).withContext(good.output).toBe(0);
    expect(good.output).toContain('CN=Tarrin Sound Time Office stamped that head at 2026-09-14T');

    const authority = await startTimeAuthority(folder);
    const other = await requestTimeStamp(authority.url, 'another tree', at);
    await authority.stop();
    await writeFile(path, JSON.stringify({ ...file, head: { ...file.head, timeStamp: { token: other.token.toString('base64') } } }));
    const bad = await verify(path);
    expect(bad.code).toBe(1);
    expect(bad.output).toContain('time stamp of the tree head');
  });

  chapter('keeps its stamp: the database refuses a change, and a forged one is named', async () => {
    await asApplication(world.database, async (client) => {
      await expectAsync(client.query(`update head_stamp set authority = 'me'`)).toBeRejectedWithError(/permission denied|never changes/);
      await expectAsync(client.query('delete from head_stamp')).toBeRejectedWithError(/permission denied|never changes/);
    });
    await world.services.sealer.sealNow();
    await asOwner(world.database, async (client) => {
      await client.query('set session_replication_role = replica');
      await client.query(
        'update head_stamp set token = overlay(token placing decode($1, $2) from 60) where size = (select max(size) from head_stamp)',
        ['00', 'hex'],
      );
    });
    const verdict = await world.as('auditor').call(ledger.verify);
    expect(verdict.ok).toBeFalse();
    expect(verdict.sentence).toBe('The time stamp of the newest tree head does not hold.');
  });

  chapter('is sealed and proven without a stamp while the authority is away', async () => {
    const other = await makeWorld({ timeAuthorityUrl: 'http://127.0.0.1:9' });
    await other.file('editor');
    await other.services.sealer.sealNow();
    const { heads } = await other.as('auditor').call(ledger.heads);
    expect(heads[0]!.timeStamp).toBeNull();
    expect((await other.as('auditor').call(ledger.verify)).ok).toBeTrue();
    await other.stop();
  });
});

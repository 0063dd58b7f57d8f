import { execFileSync } from 'node:child_process';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtemp, readdir, readFile, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ledger } from '@key-cellar/contract';
import { headText } from '../src/ledger/sealer.js';
import { requestTimeStamp, stampedAt } from '../src/ledger/timeStamp.js';
import { startTimeAuthority, type TimeAuthority } from '../src/standins/timeAuthority.js';
import { chapters } from './support/chapters.js';
import { asApplication } from './support/database.js';
import { exportedCosigned, keptBy, saved, tamper, verified, verifyOffline } from './support/ledger.js';
import { makeWorld, today, type World } from './support/world.js';

const at = '2026-09-14T10:00:00.000Z';

describe('a time stamp', () => {
  let authority: TimeAuthority;
  let folder: string;
  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'time-'));
    authority = await startTimeAuthority(folder);
  });
  afterAll(() => authority.stop());

  it('says when, by whom, and over what', async () => {
    const stamp = await requestTimeStamp(authority.url, 'a head', at, authority.certificate);
    expect(stamp.at.toISOString()).toBe(at);
    expect(stamp.authority).toBe('Tarrin Sound Time Office');
    expect(await stampedAt(stamp.token, 'a head', authority.certificate)).toEqual(new Date(at));
    expect(await stampedAt(stamp.token, 'another head', authority.certificate)).toBeNull();
  });

  it('does not hold when any byte of what is signed was changed', async () => {
    const { token } = await requestTimeStamp(authority.url, 'a head', at, authority.certificate);
    const time = token.indexOf('20260914');
    for (const place of [time + 3, token.length - 4]) {
      const changed = Buffer.from(token);
      changed[place]! ^= 1;
      expect(await stampedAt(changed, 'a head', authority.certificate)).toBeNull();
    }
    expect(await stampedAt(token.subarray(0, 90), 'a head', authority.certificate)).toBeNull();
  });

  it('comes from the same key after a restart', async () => {
    const again = await startTimeAuthority(folder);
    const [one, two] = await Promise.all([authority, again].map((a) => requestTimeStamp(a.url, 'x', at, a.certificate)));
    await again.stop();
    const identity = JSON.parse(await readFile(join(folder, 'identity.json'), 'utf8')) as { certificate: string };
    const certificate = Buffer.from(identity.certificate, 'base64');
    for (const stamp of [one!, two!]) expect(stamp.token.includes(certificate)).toBeTrue();
  });

  it('comes from one key when several servers begin at the same moment', async () => {
    const shared = await mkdtemp(join(tmpdir(), 'time-'));
    const many = await Promise.all(Array.from({ length: 6 }, () => startTimeAuthority(shared)));
    const stamps = await Promise.all(many.map((a) => requestTimeStamp(a.url, 'x', at, a.certificate)));
    await Promise.all(many.map((a) => a.stop()));
    for (const stamp of stamps) expect(await stampedAt(stamp.token, 'x', many[0]!.certificate)).not.toBeNull();
    const identity = JSON.parse(await readFile(join(shared, 'identity.json'), 'utf8')) as { certificate: string };
    for (const { token } of stamps) expect(token.includes(Buffer.from(identity.certificate, 'base64'))).toBeTrue();
    expect(await readdir(shared)).toEqual(['identity.json']);
  });

  it('holds for a program that is not ours', async () => {
    const stamp = await requestTimeStamp(authority.url, 'a head', at, authority.certificate);
    const here = await mkdtemp(join(tmpdir(), 'openssl-'));
    const [token, head, other, trusted] = ['token.der', 'head.txt', 'other.txt', 'authority.pem'].map((name) => join(here, name)) as [
      string,
      string,
      string,
      string,
    ];
    await Promise.all([
      writeFile(token, stamp.token),
      writeFile(head, 'a head'),
      writeFile(other, 'another'),
      writeFile(trusted, authority.certificate),
    ]);
    const openssl = (data: string): string =>
      execFileSync('openssl', ['ts', '-verify', '-in', token, '-token_in', '-data', data, '-CAfile', trusted], {
        encoding: 'utf8',
        stdio: 'pipe',
      });
    expect(openssl(head)).toContain('Verification: OK');
    expect(() => openssl(other)).toThrowError(/imprint mismatch/);
  });

  it('is none when another authority made it, or one whose certificate is for more than that', async () => {
    const other = await startTimeAuthority(await mkdtemp(join(tmpdir(), 'time-')));
    const stamp = await requestTimeStamp(other.url, 'x', at, other.certificate);
    expect(await stampedAt(stamp.token, 'x', authority.certificate)).toBeNull();
    expect(await stampedAt(stamp.token, 'x', '')).toBeNull();
    expect(await stampedAt(stamp.token, 'x', `${authority.certificate}\n${other.certificate}`)).toEqual(new Date(at));
    await expectAsync(requestTimeStamp(other.url, 'x', at, authority.certificate)).toBeRejectedWithError(/none that is trusted/);
    await other.stop();
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
    await requestTimeStamp(url, 'first', at, authority.certificate);
    await expectAsync(requestTimeStamp(url, 'second', at, authority.certificate)).toBeRejectedWithError(/something else/);
    // The same text, and a nonce of another query: a replay.
    await expectAsync(requestTimeStamp(url, 'first', at, authority.certificate)).toBeRejectedWithError(/something else/);
    stale.closeAllConnections();
    await new Promise((resolve) => stale.close(resolve));
  });
});

describe('the newest tree head', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.file('editor');
    await world.services.sealer.sealNow();
  });
  afterAll(() => world.stop());

  chapter('is stamped after sealing, and shown so', async () => {
    const { heads } = await world.as('auditor').call(ledger.state);
    expect(heads[0]!.timeStamp!.authority).toBe('Tarrin Sound Time Office');
    expect(heads[0]!.timeStamp!.at.slice(0, 10)).toBe(today);
    const report = await verified(world);
    expect(report.ok).toBeTrue();
    expect(report.checked.stamped).toBeGreaterThan(0);
  });

  chapter('is checked offline, which names a stamp that was put elsewhere and one by somebody else', async () => {
    await world.services.sealer.sealNow();
    const file = await exportedCosigned(world);
    const good = await verifyOffline(await saved(file.lines), '--time-authority', await keptBy.timeOffice(world));
    expect(good.code).withContext(good.output).toBe(0);
    expect(good.output).toContain('CN=Tarrin Sound Time Office stamped that head at 2026-09-14T');
    expect((await verifyOffline(await saved(file.lines))).output).toContain('Not checked: whether the certificate that stamped the head');

    const other = await startTimeAuthority(await mkdtemp(join(tmpdir(), 'time-')));
    const pem = await saved([other.certificate]);
    expect((await verifyOffline(await saved(file.lines), '--time-authority', pem)).output).toContain('none that you trust');
    const stamp = await requestTimeStamp(other.url, 'another tree', at, other.certificate);
    await other.stop();
    file.header.head.timeStamp!.token = stamp.token.toString('base64');
    const bad = await verifyOffline(await saved(file.lines));
    expect(bad.code).toBe(1);
    expect(bad.output).toContain('time stamp of the tree head');
  });

  chapter('keeps its stamp: a forged one is named, and one that is older than its head', async () => {
    await asApplication(world.database, async (client) => {
      await expectAsync(client.query(`update head_stamp set authority = 'me'`)).toBeRejectedWithError(/permission denied|never changes/);
      await expectAsync(client.query('delete from head_stamp')).toBeRejectedWithError(/permission denied|never changes/);
    });
    await world.services.sealer.sealNow();
    const [{ size, token, text }] = (
      await world.pool.query<{ size: number; token: Buffer; text: string }>(
        `select s.size, s.token, to_char(h.signed_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as text
         from head_stamp s join tree_head h using (size) order by size limit 1`,
      )
    ).rows as [{ size: number; token: Buffer; text: string }];
    const put = (bytes: Buffer): Promise<unknown> =>
      tamper(world, `update head_stamp set token = decode('${bytes.toString('hex')}', 'hex') where size = ${size}`);
    const changed = Buffer.from(token);
    changed[60]! ^= 1;
    await put(changed);
    const names = async () => (await verified(world)).findings.map((f) => f.sentence);
    expect(await names()).toEqual([`The time stamp of the tree head of ${size} entries does not hold.`]);

    const head = await world.pool.query<{ root: Buffer; key_id: string }>('select root, key_id from tree_head where size = $1', [size]);
    const { root, key_id } = head.rows[0]!;
    const said = headText({ size, root: root.toString('hex'), signedAt: text, keyId: key_id });
    const { timeAuthorityUrl, timeAuthorityCertificates } = world.services.outside;
    await put((await requestTimeStamp(timeAuthorityUrl, said, '2020-01-01T00:00:00Z', timeAuthorityCertificates)).token);
    expect(await names()).toEqual([`The tree head of ${size} entries was stamped before it says that it was signed.`]);
    await put(token);
    expect(await names()).toEqual([]);
  });

  chapter('is sealed and proven without a stamp while the authority is away, and says so', async () => {
    const other = await makeWorld({ timeAuthorityUrl: 'http://127.0.0.1:9', timeAuthorityCertificates: '' });
    await other.file('editor');
    await other.services.sealer.sealNow();
    const { heads, troubles } = await other.as('auditor').call(ledger.state);
    expect(heads[0]!.timeStamp).toBeNull();
    expect(troubles.map((t) => [t.what, t.alarm])).toEqual([['stamp', false]]);
    const report = await verified(other);
    expect(report.ok).toBeTrue();
    expect(report.unchecked).toEqual(['The newest tree head has no time stamp yet.']);
    await other.stop();
  });
});

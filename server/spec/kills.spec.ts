import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { serve } from '@hono/node-server';
import { fixity, ledger, receiving } from '@key-cellar/contract';
import { Hono } from 'hono';
import { startWitness, type Witness } from '../src/standins/witness.js';
import { asOwner, configFor, dropDatabase, pastTheGuards } from './support/database.js';
import { eventually } from './support/eventually.js';
import { verifiedBy } from './support/ledger.js';
import { kill, startProcess, whileStopped, type ServerProcess } from './support/process.js';
import { Client, makeWorld, type Login, type World } from './support/world.js';

/** Work that goes on by itself, stopped where it writes so that the server can be killed right there. */
interface Work {
  readonly name: string;
  /** What it writes last. */
  readonly table: string;
  readonly before?: () => Promise<unknown>;
  readonly after?: () => Promise<unknown>;
  /** Whether it came to its end after all; under a new server. */
  done(): Promise<boolean>;
}

describe('a server killed in the middle of its own work', () => {
  let world: World;
  let server: ServerProcess;
  let records: string[];
  const env = { OBJECTS_URL: 'stand-in' };
  const as = (login: Login): Client => new Client(server.base, world.as(login).cookie);
  const count = async (sql: string): Promise<number> =>
    asOwner(world.database, async (client) => (await client.query<{ n: number }>(`select count(*)::int as n from ${sql}`)).rows[0]!.n);
  const file = async (bytes: Buffer): Promise<string> => {
    const arrivalId = await as('editor').upload('one.bin', bytes);
    const filing = { arrivalId, title: 'One', recordType: 'note', placeId: world.ids.A01, createdOn: '2026-01-01', facts: { topic: 'x' } };
    return (await as('editor').call(receiving.file, { body: { filings: [filing] } })).results[0]!.recordId!;
  };

  beforeAll(async () => {
    world = await makeWorld();
    await world.running.stop();
    server = await startProcess(world.database, env);
    records = [await file(randomBytes(100)), await file(randomBytes(3_000_000))];
  });
  afterAll(async () => {
    await kill(server);
    await dropDatabase(world.database);
  });

  let mark = 0;
  const works: readonly Work[] = [
    {
      name: 'sealing',
      table: 'tree_head',
      after: () => as('editor').upload('more.txt', randomBytes(10)),
      done: async () => (await as('auditor').call(ledger.state)).unsealed === 0,
    },
    {
      name: 'changing the key',
      table: 'signing_key',
      after: async () => {
        mark = await count('signing_key');
        void as('keeper')
          .call(ledger.changeKey, { body: { why: 'Its keeper leaves.' } })
          .catch(() => undefined);
      },
      // Nobody has an answer: the key is the old one. A file with a new one may lie there, which nothing signed and nobody trusts.
      done: async () => (await count('signing_key')) === mark,
    },
    {
      name: 'checking contents',
      table: 'content',
      before: () =>
        pastTheGuards(world.database, (client) => client.query(`update content set stored_at = '2020-01-01', checked_at = null`)),
      done: async () => (await count('content where checked_at is null')) === 0,
    },
    {
      name: 'copying contents',
      table: 'content_object',
      after: () => as('editor').upload('copied.bin', randomBytes(2_000_000)),
      done: async () => (await count('content where copied_at is null')) === 0,
    },
    {
      name: 'destroying keys',
      table: 'key_erasure',
      before: async () => {
        const id = await as('editor').upload('goes.txt', randomBytes(20));
        await as('editor').call(receiving.discard, { params: { id } });
      },
      done: async () => (await count('key_erasure where erased_at is null')) === 0,
    },
  ];

  for (const { name, table, done, ...reasons } of works) {
    it(`${name}: it is done by the next one, nothing is lost, and the ledger proves itself`, async () => {
      await whileStopped(world.database, table, reasons, () => kill(server));
      server = await startProcess(world.database, env);
      await eventually(done);
      for (const id of records) expect((await as('editor').fetch(`/api/records/${id}/content`)).status).toBe(200);
      await eventually(async () => (await verifiedBy(as('auditor'))).findings.length === 0);
      expect((await as('auditor').call(fixity.state)).damagedCount).toBe(0);
    });
  }

  it('changes its key after that as if nothing had been', async () => {
    const { keyId } = await as('keeper').call(ledger.changeKey, { body: { why: 'Its keeper left.' } });
    await eventually(async () => (await as('auditor').call(ledger.state)).keyId === keyId);
    expect((await as('auditor').call(ledger.state)).keyId).toBe(keyId);
    await eventually(async () => (await verifiedBy(as('auditor'))).findings.length === 0);
  });
});

describe('a server killed while its witness answers', () => {
  let world: World;
  let witness: Witness;
  let between: { url: string; stop(): Promise<unknown> };
  /** The witness has seen and cosigned; nobody hears of it. */
  let silent = false;
  let unheard = 0;

  beforeAll(async () => {
    world = await makeWorld();
    await world.running.stop();
    witness = await startWitness(join(configFor(world.database).standInsDir, 'witness'));
    const app = new Hono();
    app.all('*', async (context) => {
      const url = new URL(context.req.url);
      const { method } = context.req;
      const body = method === 'GET' ? undefined : await context.req.text();
      const headers = {
        'x-repository-time': context.req.header('x-repository-time') ?? '',
        'content-type': context.req.header('content-type') ?? '',
      };
      const response = await fetch(`${witness.url}${url.pathname}${url.search}`, {
        method,
        headers,
        ...(body === undefined ? {} : { body }),
      });
      if (silent && url.pathname === '/add-checkpoint' && response.status === 200) {
        unheard++;
        return new Promise<Response>(() => undefined);
      }
      return response;
    });
    between = await new Promise((resolve) => {
      const listening = serve({ fetch: app.fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) =>
        resolve({ url: `http://127.0.0.1:${port}`, stop: () => new Promise((closed) => listening.close(closed)) }),
      );
    });
  });
  afterAll(async () => {
    await witness.stop();
    await dropDatabase(world.database);
  });

  it('finds that the witness saw more than it was told, and goes on with the same tree', async () => {
    const env = { WITNESS_URL: between.url, WITNESS_KEY: witness.key };
    let server = await startProcess(world.database, env);
    const as = (login: Login): Client => new Client(server.base, world.as(login).cookie);
    await eventually(async () => (await as('auditor').call(ledger.state)).witnessed !== null);
    silent = true;
    await as('editor').upload('one.txt', 'Entered, sealed, and cosigned without anybody hearing of it.');
    await eventually(() => Promise.resolve(unheard > 0));
    await kill(server);
    silent = false;
    server = await startProcess(world.database, env);
    await as('editor').upload('two.txt', 'And on.');
    await eventually(async () => {
      const { heads, witnessed, troubles } = await as('auditor').call(ledger.state);
      return heads[0]!.size === witnessed && troubles.length === 0;
    });
    await eventually(async () => (await verifiedBy(as('auditor'))).findings.length === 0);
    await kill(server);
    void between.stop();
    expect(unheard).toBeGreaterThan(0);
  });
});

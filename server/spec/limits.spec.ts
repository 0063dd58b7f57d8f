import { message } from '@key-cellar/words';
import { request, type IncomingMessage } from 'node:http';
import { identity, receiving } from '@key-cellar/contract';
import { bytesOf, jsonDepth } from '../src/http/body.js';
import { turns } from '../src/kernel/index.js';
import { startServer } from '../src/index.js';
import { makeWorld, password, statusOf, type World } from './support/world.js';

describe('the outer limits', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  /** A request as it is written, not as a client library would send it. */
  const raw = (path: string, body: Buffer, headers: Record<string, string | number> = {}): Promise<{ status: number; text: string }> =>
    new Promise((resolve, reject) => {
      const sent = request(
        `${world.base}${path}`,
        { method: 'POST', headers: { 'x-key-cellar': '1', cookie: world.as('keeper').cookie, 'content-length': body.length, ...headers } },
        (response) => {
          let text = '';
          response.on('data', (part: Buffer) => (text += part.toString()));
          response.on('end', () => resolve({ status: response.statusCode!, text }));
        },
      );
      sent.on('error', reject);
      sent.end(body);
    });

  it('refuses a body that is larger than its route takes, before it is here', async () => {
    const began = process.cpuUsage();
    const large = await fetch(`${world.base}/api/session`, {
      method: 'POST',
      headers: { 'x-key-cellar': '1' },
      body: '['.repeat(20_000_000),
    }).then(
      (r) => r.status,
      // The server closes while the rest is still sent.
      () => 413,
    );
    expect(large).toBe(413);
    const { user } = process.cpuUsage(began);
    expect(user).withContext('microseconds of CPU').toBeLessThan(2_000_000);
    expect((await raw('/api/session', Buffer.alloc(17 * 1024, 32))).status).toBe(413);
    expect((await raw('/api/session', Buffer.from(JSON.stringify({ login: 'editor', password })))).status).toBe(200);
  });

  it('refuses one that only says how large it will be, without waiting for it', async () => {
    const answered = new Promise<number>((resolve, reject) => {
      const sent = request(
        `${world.base}/api/session`,
        { method: 'POST', headers: { 'x-key-cellar': '1', 'content-length': 20_000_000 } },
        (response) => {
          resolve(response.statusCode!);
          sent.destroy();
        },
      );
      sent.on('error', reject);
      sent.write('[');
    });
    expect(await answered).toBe(413);
  });

  it('refuses one without a length just so', async () => {
    async function* endless(): AsyncGenerator<Buffer> {
      for (let i = 0; i < 1000; i++) yield await Promise.resolve(Buffer.alloc(1024, 32));
    }
    const answer = await fetch(`${world.base}/api/session`, {
      method: 'POST',
      headers: { 'x-key-cellar': '1' },
      body: ReadableStream.from(endless()) as never,
      duplex: 'half',
    } as RequestInit).then(
      (r) => r.status,
      () => 413,
    );
    expect(answer).toBe(413);
  });

  it('refuses what is too deep, not JSON, or not UTF-8', async () => {
    const deep = (n: number): Buffer => Buffer.from(`{"ids": ${'['.repeat(n)}${']'.repeat(n)}}`);
    expect((await raw('/api/records/declare', deep(64))).text).toContain('more than 64 deep');
    expect((await raw('/api/records/declare', deep(63))).status).toBe(422);
    expect((await raw('/api/records/declare', Buffer.from('{"ids": [}'))).text).toContain('not JSON');
    expect((await raw('/api/records/declare', Buffer.from([0x7b, 0x22, 0xc3, 0x28, 0x22, 0x3a, 0x31, 0x7d]))).text).toContain('not UTF-8');
  });

  it('counts depth outside of texts', () => {
    expect(jsonDepth('[]')).toBe(1);
    expect(jsonDepth('{"a": [1, {"b": "[[[\\"[["}]}')).toBe(3);
    expect(jsonDepth('"[[["')).toBe(0);
    expect(jsonDepth('[[],[[]]]')).toBe(3);
  });

  describe('of time', () => {
    beforeEach(() => jasmine.clock().install().mockDate());
    afterEach(() => jasmine.clock().uninstall());

    /** A sender of pieces of one size, each after so many seconds. */
    const sender = (size: number, seconds: number, pieces: number): IncomingMessage => {
      async function* sending(): AsyncGenerator<Buffer> {
        for (let i = 0; i < pieces; i++) {
          jasmine.clock().tick(seconds * 1000);
          yield await Promise.resolve(Buffer.alloc(size, 32));
        }
      }
      return Object.assign(sending(), { headers: {}, setTimeout: () => undefined }) as unknown as IncomingMessage;
    };
    const received = async (incoming: IncomingMessage): Promise<number> => {
      let size = 0;
      for await (const piece of bytesOf(incoming, 1e9)) {
        size += piece.length;
        // What the server itself takes to store a piece is not the sender's fault.
        jasmine.clock().tick(60_000);
      }
      return size;
    };

    it('gives up who sends less than 64 KB in half a minute of waiting, however steadily', async () => {
      await expectAsync(received(sender(1000, 5, 100))).toBeRejectedWithError(/so slowly/);
      await expectAsync(received(sender(20_000, 5, 100))).toBeResolvedTo(2_000_000);
      await expectAsync(received(sender(1000, 0.01, 100))).toBeResolvedTo(100_000);
    });
  });

  it('answers only under its own names', async () => {
    const asked = (host: string): Promise<number> => raw('/api/session', Buffer.from('{}'), { host }).then((r) => r.status);
    expect(await asked('records.example:80')).toBe(421);
    expect(await asked('127.0.0.1.example')).toBe(421);
    expect(await asked('LOCALHOST:4180')).toBe(422);
  });

  it('believes what is said of an address only from a proxy that it knows', async () => {
    const from = async (base: string, said: string): Promise<string> => {
      await fetch(`${base}/api/session`, {
        method: 'POST',
        headers: { 'x-key-cellar': '1', 'x-forwarded-for': said },
        body: JSON.stringify({ login: 'reader', password }),
      });
      const { rows } = await world.pool.query<{ address: string }>('select address from session order by created_at desc limit 1');
      return rows[0]!.address;
    };
    expect(await from(world.base, '10.1.2.3')).toBe('127.0.0.1');
    const behind = await startServer({ ...world.services.config, proxies: ['127.0.0.1', '10.0.0.9'] });
    try {
      const base = `http://127.0.0.1:${behind.port}`;
      expect(await from(base, '10.1.2.3')).toBe('10.1.2.3');
      expect(await from(base, '6.6.6.6, 10.1.2.3, 10.0.0.9')).toBe('10.1.2.3');
      expect(await from(base, 'no address')).toBe('127.0.0.1');
      expect(await from(base, '')).toBe('127.0.0.1');
    } finally {
      await behind.stop();
    }
  }, 20_000);

  it('does no work for strangers who would make another first keeper', async () => {
    const body = { repository: 'Mine', name: 'Somebody', login: 'somebody', password };
    // Of so many passwords to be hashed at once some would be refused for being too many.
    const answers = await Promise.all(
      Array.from({ length: 80 }, () => statusOf(world.as('outsider').call(identity.makeFirstKeeper, { body }))),
    );
    expect(new Set(answers)).toEqual(new Set([409]));
  });

  it('takes three files of one person at once, and those of others beside them', async () => {
    const slow = (login: 'editor' | 'depositor', key: string): { done: Promise<number>; end(): void } => {
      let finish: (status: number) => void;
      const done = new Promise<number>((resolve) => (finish = resolve));
      const size = 3 * 1024 * 1024;
      const sending = request(
        `${world.base}/api/uploads?name=${key}.bin`,
        { method: 'POST', headers: { 'x-key-cellar': '1', cookie: world.as(login).cookie, 'content-length': size } },
        (response) => {
          response.resume();
          finish(response.statusCode!);
        },
      );
      sending.on('error', () => finish(0));
      sending.write(Buffer.alloc(size - 1, key));
      return { done, end: () => sending.end('x') };
    };
    const many = Array.from({ length: 12 }, (_, i) => slow('editor', `m${i}`));
    expect(await world.as('depositor').upload('small.txt', 'A small one.')).toBeTruthy();
    const other = slow('depositor', 'other');
    other.end();
    expect(await other.done).toBe(200);
    for (const one of many) one.end();
    expect(await Promise.all(many.map((one) => one.done))).toEqual(many.map(() => 200));
    const { arrivals } = await world.as('editor').call(receiving.list);
    expect(arrivals.length).toBe(12);
  }, 30_000);

  it('gives turns in their order, and refuses who would wait too long', async () => {
    const inTurn = turns({ atOnce: 1, waiting: 2 }, message('problem.busy'));
    const order: number[] = [];
    let go: () => void = () => undefined;
    const first = inTurn('a', () => new Promise<void>((resolve) => (go = resolve)));
    const [second, third] = [2, 3].map((n) =>
      inTurn('a', async () => {
        await Promise.resolve();
        order.push(n);
      }),
    );
    await expectAsync(inTurn('a', async () => Promise.resolve())).toBeRejectedWithError(
      'The server is reading many files just now. Try again in a moment.',
    );
    await inTurn('b', async () => Promise.resolve(order.push(0)));
    go();
    await Promise.all([first, second, third]);
    expect(order).toEqual([0, 2, 3]);
    await inTurn('a', async () => Promise.resolve(order.push(4)));
    expect(order.at(-1)).toBe(4);
  });
});

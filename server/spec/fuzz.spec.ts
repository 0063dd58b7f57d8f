import { docket, holds, stencils, type Endpoint } from '@key-cellar/contract';
import { bareFolder } from '@key-cellar/core/plan';
import * as fc from 'fast-check';
import { uuidv7 } from 'uuidv7';
import { bound } from '../src/http/table.js';
import { valuesFor } from './support/shapes.js';
import { makeWorld, type Login, type World } from './support/world.js';

/** At least so many requests, each as one of those who may do most. */
const requests = 10_000;
const people: readonly Login[] = ['keeper', 'counsel', 'approver', 'auditor', 'depositor'];
/** These end what the others need, or work on everything each time; a few of them do. */
const few = new Set([
  'identity.signOut',
  'identity.endOtherSessions',
  'identity.setLanguage',
  'identity.moveClock',
  'ledger.verify',
  'ledger.seal',
  'ledger.export',
  'ledger.changeKey',
  'steps.recompute',
  'schedule.effect',
]);

/** What an id is of, by the name of its field or the address that it stands in. */
const kindsByName: readonly (readonly [RegExp, string])[] = [
  [/record|^ids$/, 'record'],
  [/place|parent|series|under|into|folder/, 'place'],
  [/hold/, 'hold'],
  [/matter/, 'matter'],
  [/arrival/, 'arrival'],
  [/stencil/, 'stencil'],
  [/rule/, 'rule'],
  [/principal|person|custodian|actor/, 'principal'],
  [/container/, 'container'],
  [/entit/, 'entity'],
  [/detector/, 'detector'],
  [/numbering/, 'numbering'],
  [/batch/, 'batch'],
];

interface Given {
  readonly login: Login;
  readonly params: Readonly<Record<string, unknown>>;
  readonly query: Readonly<Record<string, unknown>> | null;
  readonly body: unknown;
}

/** Runs are alike, so that a change is told by what it changed; FUZZ_SEED looks elsewhere. */
const seed = Number(process.env['FUZZ_SEED'] ?? 1);

const runsOf = (name: string): number => (few.has(name) ? 5 : Math.ceil(requests / (bound().length - few.size)));

describe('whatever is sent', () => {
  let world: World;
  let idsOf: (name: string) => fc.Arbitrary<string>;
  let words: fc.Arbitrary<string>;

  beforeAll(async () => {
    world = await makeWorld();
    const keeper = world.as('keeper');
    const filed = [];
    for (let i = 0; i < 6; i++) filed.push(await world.file('keeper', { title: `Paper ${i}` }));
    await world.rule('R-F', world.ids.A01);
    const { id: matterId } = await world.as('counsel').call(holds.makeMatter, { body: { code: 'M-F', title: 'M', kind: 'case' } });
    await world.as('counsel').call(holds.placeHold, { body: { matterId, name: 'H', reason: 'a reason', recordIds: [filed[0]!.id] } });
    await keeper.upload('waits.txt', 'It waits.');
    const definition = { asks: [], roles: [], root: bareFolder('root', 'S-{nn}', 'Made') };
    await keeper.call(stencils.make, { body: { subject: 'S', title: 'Stencil', note: '', definition: definition as never } });
    await keeper.call(docket.due);
    const { rows } = await world.pool.query<{ kind: string; ids: string[] }>(
      [
        'record',
        'place',
        'hold',
        'matter',
        'arrival',
        'stencil',
        'rule',
        'principal',
        'container',
        'entity',
        'detector',
        'numbering',
        'batch',
      ]
        .map((kind) => `select '${kind}' as kind, array_agg(id::text) as ids from ${kind}`)
        .join(' union all '),
    );
    const all = rows.flatMap((r) => r.ids ?? []);
    const others = fc.constantFrom(...all, uuidv7(), 'x', '', '00000000-0000-0000-0000-000000000000');
    idsOf = (name) => {
      const kind = kindsByName.find(([pattern]) => pattern.test(name))?.[1];
      const known = rows.find((r) => r.kind === kind)?.ids;
      return known ? fc.oneof({ weight: 8, arbitrary: fc.constantFrom(...known) }, { weight: 1, arbitrary: others }) : others;
    };
    const codes = await world.pool.query<{ code: string }>(
      'select code from place where code is not null union select code from rule union select code from record_type',
    );
    words = fc.constantFrom(...codes.rows.map((r) => r.code), 'keeper', 'topic', 'Paper', 'csv', 'created', 'destroy');
  }, 60_000);
  afterAll(() => world.stop());

  /** What came of one request: null when it was answered, whatever the answer. */
  const faultOf = async (endpoint: Endpoint, { login, params, query, body }: Given): Promise<string | null> => {
    const inPath = (_: string, key: string): string => encodeURIComponent(wellFormed(String(params[key]))) || '-';
    const asked = new URLSearchParams();
    for (const [key, value] of Object.entries(query ?? {})) {
      if (value !== undefined) asked.set(key, typeof value === 'object' ? JSON.stringify(value) : String(value));
    }
    const path = `/api${endpoint.path.replace(/\{(\w+)\}/g, inPath)}?${asked.toString()}`;
    const text = endpoint.sends === 'bytes' ? String(body) : JSON.stringify(body ?? {});
    const init = { method: endpoint.method.toUpperCase(), ...(endpoint.method === 'get' ? {} : { body: text }) };
    const response = await world.as(login).fetch(path, init);
    const answer = await response.text();
    const fault = response.status >= 500 || (response.status === 401 && endpoint.who === 'signedIn' && login !== 'outsider');
    // What only the database refuses, the contract should have.
    return !fault && !answer.includes('not-storable')
      ? null
      : `${response.status} ${login} ${path} ${text.slice(0, 400)}: ${answer.slice(0, 300)}`;
  };

  for (const { name, endpoint } of bound()) {
    it(`is answered by ${name}, and never with a fault of the server`, async () => {
      const given = fc.record({
        // Whoever signs out is needed for nothing else.
        login: name === 'identity.signOut' ? fc.constant<Login>('outsider') : fc.constantFrom(...people),
        // “/records/{id}/…” names a record.
        params: valuesFor(endpoint.params, () => idsOf(endpoint.path), words),
        query: valuesFor(endpoint.query, idsOf, words),
        body: endpoint.sends === 'bytes' ? fc.string() : valuesFor(endpoint.body, idsOf, words),
      }) as fc.Arbitrary<Given>;
      const waiting = fc.sample(given, { numRuns: runsOf(name), seed });
      const faults: string[] = [];
      const work = async (): Promise<void> => {
        for (let next; (next = waiting.pop());) {
          const fault = await faultOf(endpoint, next);
          if (fault) faults.push(fault);
        }
      };
      await Promise.all([work(), work(), work()]);
      expect(faults).withContext(`seed ${seed}`).toEqual([]);
    }, 120_000);
  }

  it('is answered where bytes leave, and never with a fault of the server', async () => {
    const routes = fc.record({
      login: fc.constantFrom(...people),
      id: idsOf('record'),
      what: fc.constantFrom('content', 'preview', 'pages/1', 'pages/0', 'pages/-1', 'pages/99999999999999999999', 'pages/%00', 'pages/%ff'),
      version: fc.constantFrom('', '?version=1', '?version=0', '?version=1e9', '?version=99999999999', '?version=%00'),
      range: fc.constantFrom('', 'bytes=0-', 'bytes=1-', 'bytes=-1', 'bytes=5-2', 'bytes=0-99999999999999999999', 'bytes=a-b', 'items=1-2'),
    });
    for (const { login, id, what, version, range } of fc.sample(routes, { numRuns: 400, seed })) {
      const path = `/api/records/${encodeURIComponent(id)}/${what}${version}`;
      const response = await world.as(login).fetch(path, range === '' ? {} : { headers: { range } });
      await response.arrayBuffer();
      expect(response.status).withContext(`${path} ${range}, seed ${seed}`).toBeLessThan(500);
    }
  });

  it('is many requests', () => {
    expect(bound().reduce((sum, { name }) => sum + runsOf(name), 0)).toBeGreaterThanOrEqual(requests);
  });
});

/** An address is UTF-8, which has no halves of a pair. */
function wellFormed(text: string): string {
  return text.replace(/\p{Cs}/gu, '\ufffd');
}

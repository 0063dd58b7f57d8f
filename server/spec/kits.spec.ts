import { exchange, ledger, people, plan, schedule, type PackageOutcome } from '@key-cellar/contract';
import { languages, type Language } from '@key-cellar/words';
import { shippedKits } from '../src/exchange/kits.js';
import { configFor } from './support/database.js';
import { found, signedInAt, type Founded } from './support/founded.js';
import { bytesOf, itemsIn } from './support/packages.js';
import { chapters } from './support/chapters.js';
import { type Client, password, statusOf } from './support/world.js';

describe('kits', () => {
  const chapter = chapters();
  let here: Founded;
  beforeAll(async () => {
    here = await found();
  });
  afterAll(() => here.stop());

  const take = (kit: string, language: Language, dryRun: boolean, client: Client = here.founder): Promise<PackageOutcome> =>
    client.call(exchange.importKit, { params: { kit }, body: { language, dryRun } });
  const wrongIn = ({ errors, conflicts, warnings }: PackageOutcome): unknown[] => [...errors, ...conflicts, ...warnings];
  const newIn = ({ changes }: PackageOutcome): number => changes.filter((c) => c.what !== 'kept').length;

  it('say the same in every language', async () => {
    const skeleton = (kit: unknown): unknown =>
      JSON.parse(
        JSON.stringify(kit, (key, value: unknown) => (typeof value === 'string' && !['code', 'kind', 'inside'].includes(key) ? '' : value)),
      );
    const { assetsDir } = configFor('none');
    const [first, ...others] = await Promise.all(languages.map((language) => shippedKits(assetsDir, language)));
    expect(first!.map((kit) => kit.code)).toEqual(['clinic', 'club', 'council', 'works']);
    for (const [i, other] of others.entries())
      expect(skeleton(other))
        .withContext(languages[i + 1]!)
        .toEqual(skeleton(first));
  });

  chapter('each comes into an empty repository in each language, with nothing wrong and nothing to warn of', async () => {
    for (const language of languages) {
      const { kits } = await here.founder.call(exchange.kits, { query: { language } });
      expect(kits.length).toBe(4);
      for (const kit of kits) {
        const outcome = await take(kit.code, language, true);
        expect(wrongIn(outcome)).withContext(`${kit.code} ${language}`).toEqual([]);
        expect(outcome.changes.filter((c) => c.section === 'rules' && c.what === 'new').length)
          .withContext(kit.code)
          .toBe(kit.rules);
        expect(kit.series).toBeGreaterThan(8);
      }
    }
    // Tried only.
    expect((await here.founder.call(plan.outline, { query: { folders: true } })).places.length).toBe(1);
  });

  chapter('what is there already stays, and is told; the rest comes around it', async () => {
    const [root] = (await here.founder.call(plan.outline, { query: { folders: true } })).places;
    await here.founder.call(plan.makePlace, {
      body: { parentId: root!.id, kind: 'function', code: 'FIN', title: 'The treasury' },
    });
    const outcome = await take('council', 'en', false);
    expect(wrongIn(outcome)).toEqual([]);
    expect(outcome.changes.filter((c) => c.what === 'kept').map((c) => `${c.name}: ${c.sentence}`)).toEqual(['FIN: is here already']);
    const { places } = await here.founder.call(plan.outline, { query: { folders: true } });
    expect(places.find((p) => p.code === 'FIN')!.title).toBe('The treasury');
    expect(places.filter((p) => p.code.startsWith('FIN')).map((p) => p.code)).toEqual(['FIN', 'FIN.1', 'FIN-01', 'FIN-02', 'FIN-03']);
    const { entries } = await here.founder.call(ledger.entries, { query: { act: 'took in a kit' } });
    expect(entries.length).toBe(1);
  });

  chapter('its rules are in force from the day, by the one who took it in, and say that they are examples', async () => {
    const { rules } = await here.founder.call(schedule.rules);
    expect(rules.length).toBe(10);
    const { id } = rules.find((rule) => rule.code === 'INV-10')!;
    const page = await here.founder.call(schedule.rule, { params: { id } });
    expect(page.versions.map((v) => [v.publishedBy, v.definition.authority])).toEqual([
      ['Person keeper', 'Example from a kit: name the provision that applies'],
    ]);
  });

  chapter('its groups may do what it says, where it says', async () => {
    const { groups } = await here.founder.call(people.list);
    const office = groups.find((p) => p.name === 'Human resources')!;
    const { invitation } = await here.founder.call(people.make, {
      body: { name: 'Mo Finch', login: 'mo', email: null, clearance: { level: 0, caveats: [] }, groupIds: [office.id], invite: true },
    });
    await here.founder.fetch('/api/invitation/accept', {
      method: 'POST',
      body: JSON.stringify({ token: invitation!.token, password }),
      headers: { 'content-type': 'application/json' },
    });
    const mo = await signedInAt(here.base, 'mo');
    const seen = (await mo.call(plan.outline, { query: { folders: true } })).places.map((p) => p.code);
    expect(seen).toContain('PEO-01');
    expect(seen).not.toContain('GOV-01');
    expect(await statusOf(take('club', 'en', true, mo))).toBe(403);
    expect(await statusOf(mo.call(exchange.kits, { query: { language: 'en' } }))).toBe(403);
  });

  chapter('a second time nothing is new, and what was changed here since stays', async () => {
    const before = itemsIn(await bytesOf(here.founder));
    const outcome = await take('council', 'en', false);
    expect(wrongIn(outcome)).toEqual([]);
    expect(newIn(outcome)).toBe(0);
    const after = itemsIn(await bytesOf(here.founder));
    expect(after).toEqual(before);
    expect((await here.founder.call(ledger.entries, { query: { act: 'took in a kit' } })).entries.length).toBe(1);
  });

  chapter('another beside it adds what both do not have', async () => {
    const outcome = await take('club', 'en', false);
    expect(wrongIn(outcome)).toEqual([]);
    expect(outcome.changes.find((c) => c.section === 'rules' && c.name === 'INV-10')!.what).toBe('kept');
    expect(outcome.changes.find((c) => c.section === 'places' && c.name === 'MEM-01')!.what).toBe('new');
  });

  chapter('a kit leaves as a package that another repository takes in, once', async () => {
    const other = await found({ login: 'other' });
    try {
      const response = await here.founder.fetch('/api/kits/works/package?language=de');
      expect(response.status).toBe(200);
      const bytes = Buffer.from(await response.arrayBuffer());
      expect(itemsIn(bytes)['rules']!.length).toBe(12);
      const own = Buffer.from(await (await other.founder.fetch('/api/kits/works/package?language=de')).arrayBuffer());
      const bring = (data: Buffer) =>
        other.founder.call(exchange.importPackage, { body: { data: data.toString('base64'), conflicts: 'refuse', dryRun: false } });
      const outcome = await bring(own);
      expect(wrongIn(outcome)).toEqual([]);
      expect(newIn(outcome)).toBeGreaterThan(50);
      const rest = await take('works', 'de', true, other.founder);
      expect(rest.changes.filter((c) => c.what !== 'kept').map((c) => [c.section, c.name, c.what])).toEqual([
        ['places', 'Live', 'changed'],
      ]);
    } finally {
      await other.stop();
    }
  });

  it('that are not there are not found', async () => {
    expect(await statusOf(take('castle', 'en', true))).toBe(404);
    expect(await statusOf(take('..%2f..%2fpackage', 'en', true))).toBe(404);
  });
});

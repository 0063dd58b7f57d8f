import { plan, records, schedule, type TableOutcome } from '@key-cellar/contract';
import Papa from 'papaparse';
import { strToU8, zipSync } from 'fflate';
import { readSheet } from 'read-excel-file/node';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { eventually } from './support/eventually.js';
import { type Login, makeWorld, ruleDefinition, statusOf, type World } from './support/world.js';

type Line = Record<string, string>;
type Format = 'csv' | 'xlsx' | 'json';
const base64 = (text: string | Uint8Array): string => Buffer.from(text as string).toString('base64');
const errorsOf = (outcome: TableOutcome): string[] => outcome.errors.map((e) => `${e.row} ${e.column}: ${e.sentence}`);

/** Made before any server listens: packing it takes longer than an idle connection is kept open. */
const bomb = zipSync({ 'xl/worksheets/sheet1.xml': new Uint8Array(80 * 1024 * 1024) });

describe('plans and schedules as tables', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-ONE', world.ids.A01);
    await world.as('keeper').call(schedule.makeJurisdiction, { body: { name: 'North', partOf: null } });
  });
  afterAll(() => world.stop());

  const fetchBytes = async (path: string, login: Login = 'keeper'): Promise<{ response: Response; bytes: Buffer }> => {
    const response = await world.as(login).fetch(path);
    return { response, bytes: Buffer.from(await response.arrayBuffer()) };
  };
  const loadPlan = (data: string, dryRun = false, format: Format = 'csv', login: Login = 'keeper') =>
    world.as(login).call(plan.importPlan, { body: { format, data, dryRun } });
  const loadRules = (data: string, dryRun = false, format: Format = 'csv') =>
    world.as('keeper').call(schedule.importSchedule, { body: { format, data, dryRun } });
  const csv = (lines: Line[]): string =>
    base64(Papa.unparse({ fields: [...new Set(lines.flatMap((line) => Object.keys(line)))], data: lines }));
  const json = (lines: Line[]): string => base64(JSON.stringify(lines));
  const exported = async (kind: 'plan' | 'schedule'): Promise<Line[]> =>
    JSON.parse((await fetchBytes(`/api/${kind}/export?format=json`)).bytes.toString()) as Line[];

  chapter('come back as they went, in each format, and change nothing then', async () => {
    for (const format of ['csv', 'xlsx', 'json'] as const) {
      for (const kind of ['plan', 'schedule'] as const) {
        const { response, bytes } = await fetchBytes(`/api/${kind}/export?format=${format}`);
        expect(response.headers.get('content-disposition')).toContain(`.${format}"`);
        const outcome = await (kind === 'plan' ? loadPlan : loadRules)(base64(bytes), false, format);
        expect([kind, format, outcome.changes, outcome.errors]).toEqual([kind, format, [], []]);
        expect(outcome.rows).toBeGreaterThan(0);
      }
    }
    expect(await statusOf(world.as('editor').call(plan.importPlan, { body: { format: 'csv', data: csv([]), dryRun: true } }))).toBe(403);
  });

  chapter('show only what may be discovered', async () => {
    const lines = JSON.parse((await fetchBytes('/api/plan/export?format=json', 'editor')).bytes.toString()) as Line[];
    expect(lines.map((l) => l['code'])).toEqual(['A', 'A-01', 'A-02']);
    // Who may do what is for those who may say so, and so is the repository itself.
    expect(lines.every((l) => !('grants' in l) && !('facts' in l) && !('marking' in l))).toBeTrue();
    expect((await exported('plan'))[0]).toEqual(jasmine.objectContaining({ kind: 'repository', marking: 'level: 0 | caveats: []' }));
  });

  chapter(
    'a plan of 5,000 places is taken in at once, when its errors are mended',
    async () => {
      const lines: Line[] = [];
      for (let f = 1; f <= 10; f++) {
        lines.push({
          code: `F${f}`,
          kind: 'function',
          inside: '',
          title: `Function ${f}`,
          'belongs here': f === 3 ? '=1+1' : '',
          rules: '',
        });
        for (let s = 1; s <= 49; s++) {
          lines.push({
            code: `F${f}-${s}`,
            kind: 'series',
            inside: `F${f}`,
            title: `Series ${f}.${s}`,
            'belongs here': 'papers',
            rules: 'R-ONE',
          });
          for (let d = 1; d <= 9; d++)
            lines.push({ code: `D-${d}`, kind: 'folder', inside: `F${f}-${s}`, title: `Folder ${d}`, 'belongs here': '', rules: '' });
        }
      }
      for (let i = lines.length; i < 5000; i++)
        lines.push({ code: `X-${i}`, kind: 'folder', inside: 'F1-1/D-1', title: 'Inner', 'belongs here': '', rules: '' });
      expect(lines.length).toBe(5000);
      const broken = lines.map((l) => ({ ...l }));
      broken[0]!['code'] = 'f 1!';
      broken[1]!['title'] = '';
      broken[2]!['inside'] = 'F99-1';
      broken[3]!['kind'] = 'box';
      broken[4]!['rules'] = 'R-NONE';
      broken[2500]!['code'] = broken[2499]!['code']!;
      const before = (await exported('plan')).length;
      const wrong = await loadPlan(csv(broken));
      expect(errorsOf(wrong).slice(0, 6)).toEqual([
        '2 code: “F 1!” may have capital letters, digits, hyphens, dots and slashes, at most 40',
        '3 inside: there is no place F1',
        '3 title: is missing',
        '4 inside: there is no place F99-1',
        '5 kind: “box” is none of function, activity, series, folder',
        '6 rules: there is no published rule R-NONE',
      ]);
      expect(errorsOf(wrong).some((e) => /^2502 code: .* is already in row 2501$/.test(e))).toBeTrue();
      expect((await exported('plan')).length).toBe(before);
      const dry = await loadPlan(csv(lines), true);
      expect([dry.changes.length, dry.errors]).toEqual([5000, []]);
      expect((await exported('plan')).length).toBe(before);
      const done = await loadPlan(csv(lines));
      expect([done.changes.length, done.errors]).toEqual([5000, []]);
      const after = await exported('plan');
      expect(after.length).toBe(before + 5000);
      // It is a plan one can file in, and the rules that came with it count.
      const { places } = await world.as('keeper').call(plan.outline, { query: { folders: true } });
      const series = places.find((p) => p.code === 'F1-1')!;
      const { id } = await world.file('keeper', { place: places.find((p) => p.parentId === series.id)!.id });
      expect((await world.as('keeper').call(records.dossier, { params: { id } })).dueOn).toBe('2026-01-10');
      expect((await loadPlan(csv(lines))).changes).toEqual([]);
    },
    120_000,
  );

  chapter('places that are known are renamed, moved and given rules; what the table does not say stays', async () => {
    const first = await loadPlan(
      csv([
        { code: 'T', kind: 'function', inside: '', title: 'Trial', 'belongs here': 'all', rules: '' },
        { code: 'T-1', kind: 'series', inside: 'T', title: 'One', 'belongs here': 'this', rules: 'R-ONE' },
        { code: 'T-2', kind: 'series', inside: 'T', title: 'Two', 'belongs here': '', rules: '' },
        { code: 'K-1', kind: 'folder', inside: 'T-1', title: 'Folder', 'belongs here': '', rules: '' },
      ]),
    );
    expect(first.changes.map((c) => c.what)).toEqual(['new', 'new', 'new', 'new']);
    const second = await loadPlan(csv([{ code: 'T-1', kind: 'series', inside: 'A', title: 'One again' }]));
    expect(second.changes).toEqual([{ row: 2, what: 'changed', sentence: 'T-1: inside: T → A, title: “One” → “One again”' }]);
    const line = (await exported('plan')).find((l) => l['code'] === 'T-1')!;
    expect([line['inside'], line['title'], line['belongs here'], line['rules']]).toEqual(['A', 'One again', 'this', 'R-ONE']);
    const refused = await loadPlan(
      csv([
        { code: 'T', kind: 'function', inside: 'A', title: 'Trial' },
        { code: 'T-2', kind: 'folder', inside: 'T-1', title: 'x' },
      ]),
    );
    expect(errorsOf(refused)).toEqual(['2 inside: A function cannot be inside a function.']);
    const rules = await loadPlan(
      csv([{ code: 'T-1', kind: 'series', inside: 'A', title: 'One again', rules: '', jurisdictions: 'North' }]),
    );
    expect(rules.changes[0]!.sentence).toBe('T-1: jurisdictions: nothing → North, rules: R-ONE → nothing');
  });

  chapter(
    'a schedule of 500 rules is taken in, as versions and as drafts, when its errors are mended',
    async () => {
      const lines: Line[] = Array.from({ length: 500 }, (_, i) => ({
        code: `R-T-${i}`,
        title: `Rule ${i}`,
        authority: `Board 2026/${i}`,
        link: '',
        jurisdictions: i % 3 === 0 ? 'North' : '',
        clock: ['created', 'fact ended', 'folder closed', 'event lease ended', 'never'][i % 5]!,
        cutoff: ['none', 'month', 'quarter', 'calendar year', 'fiscal year from 4-1'][(i + 1) % 5]!,
        steps: i % 5 === 4 ? 'keep for good' : `review P${1 + (i % 3)}Y; destroy P${5 + (i % 9)}Y, 2 approvals, 21 days notice`,
        'in force from': i % 10 === 9 ? '' : '2020-01-01',
        'takes over': i % 4 === 0 ? 'later clocks' : 'all records',
      }));
      const broken = lines.map((l) => ({ ...l }));
      broken[0]!['steps'] = 'destroy seven years';
      broken[1]!['clock'] = 'someday';
      broken[2]!['jurisdictions'] = 'West';
      broken[3]!['in force from'] = '1.1.2020';
      broken[4]!['steps'] = 'destroy P7Y';
      broken[5]!['authority'] = '';
      broken[499]!['code'] = 'R-T-0';
      expect(errorsOf(await loadRules(csv(broken)))).toEqual([
        '2 steps: “destroy seven years” does not say after how long, such as P7Y or 90 days.',
        '3 clock: This does not say when the clock starts. Possible are created, received, filed, modified, declared, superseded, last used, fact …, first fact …, folder closed, event …, first event …, unreferenced by …, earliest of …, latest of … or never.',
        '4 jurisdictions: there is no jurisdiction West',
        '5 in force from: must be a date such as 2026-09-14, or empty for a draft',
        '6 steps: can only be to keep for good where a rule has no clock',
        '7 authority: must not be empty',
      ]);
      expect((await world.as('keeper').call(schedule.rules)).rules.length).toBe(1);
      const dry = await loadRules(csv(lines), true);
      expect([dry.changes.length, (await world.as('keeper').call(schedule.rules)).rules.length]).toEqual([500, 1]);
      const done = await loadRules(csv(lines));
      expect([done.changes.length, done.errors]).toEqual([500, []]);
      const { rules } = await world.as('keeper').call(schedule.rules);
      expect([rules.length, rules.filter((r) => r.version === null).length]).toEqual([501, 50]);
      expect((await loadRules(csv(lines))).changes).toEqual([]);
      // A rule that differs is published as the next version; what it governs is dated anew.
      const { id } = await world.file('editor');
      const next = await loadRules(
        csv([
          {
            code: 'R-ONE',
            title: 'One year',
            authority: 'Sound Compact, art. 1',
            clock: 'created',
            cutoff: 'none',
            steps: 'destroy P4Y, 1 approval',
            'in force from': '2001-01-01',
          },
        ]),
      );
      expect(next.changes).toEqual([{ row: 2, what: 'version', sentence: 'R-ONE is published as version 2, in force from 1 Jan 2001' }]);
      expect(next.recomputed).toBeGreaterThan(0);
      expect((await world.as('keeper').call(records.dossier, { params: { id } })).dueOn).toBe('2029-01-10');
    },
    120_000,
  );

  chapter('a schedule goes out with all its versions, and comes back as it was; what was published is never written anew', async () => {
    const keeper = world.as('keeper');
    const { rules } = await keeper.call(schedule.rules);
    const { id } = rules.find((r) => r.code === 'R-ONE')!;
    const publish = async (title: string, inForceFrom: string): Promise<void> => {
      const { revision, versions } = await keeper.call(schedule.rule, { params: { id } });
      await keeper.call(schedule.saveDraft, { params: { id }, body: { revision, definition: { ...versions[0]!.definition, title } } });
      await keeper.call(schedule.publish, { params: { id }, body: { revision: revision + 1, inForceFrom, takesOver: 'all' } });
    };
    await publish('Announced', '2030-01-01');
    await publish('Taken back', '2031-01-01');
    await keeper.call(schedule.withdrawVersion, { params: { id, version: 4 }, body: { reason: 'a slip of the pen' } });
    const out = (await exported('schedule')).filter((l) => l['code'] === 'R-ONE');
    expect(out.map((l) => [l['version'], l['title'], l['in force from'], l['withdrawn']])).toEqual([
      ['1', 'One year', '2000-01-01', ''],
      ['2', 'One year', '2001-01-01', ''],
      ['3', 'Announced', '2030-01-01', ''],
      ['4', 'Taken back', '2031-01-01', 'a slip of the pen'],
    ]);
    expect((await loadRules(csv(await exported('schedule')))).changes).toEqual([]);
    // Under another code, all of it is made: four versions, the last withdrawn.
    const copied = await loadRules(csv(out.map((l) => ({ ...l, code: 'R-COPY' }))));
    expect([copied.errors, copied.changes.map((c) => c.what)]).toEqual([[], ['new', 'version', 'version', 'version']]);
    const copy = (await exported('schedule')).filter((l) => l['code'] === 'R-COPY');
    expect(copy.map((l): Line => ({ ...l, code: 'R-ONE' }))).toEqual(out);
    const wrong = await loadRules(
      csv([
        { ...out[0]!, title: 'Rewritten' },
        { ...out[2]!, version: '9' },
        { ...out[1]!, version: 'two' },
        { ...out[0]!, withdrawn: 'too late for that' },
      ]),
    );
    expect(errorsOf(wrong)).toEqual([
      '2 version: version 1 of R-ONE was published otherwise and stays as it is',
      '3 version: R-ONE has its versions one after another; the next is 5',
      '4 version: must be a number such as 2, or empty',
      '5 code: R-ONE is already in row 2',
    ]);
    const late = await loadRules(csv([{ ...out[0]!, withdrawn: 'too late for that' }]));
    expect(errorsOf(late)).toEqual(['2 withdrawn: It has been in force since 1 Jan 2000. Publish another version in its place.']);
    const withdrawn = await loadRules(csv([{ ...out[2]!, withdrawn: 'not this one, either' }]));
    expect(withdrawn.changes.map((c) => c.sentence)).toEqual(['R-ONE: version 3 is withdrawn']);
  });

  chapter('that are none are told so', async () => {
    const tries: [string, Format, RegExp][] = [
      [base64('a,b\n1,2\n'), 'csv', /code, kind, inside and title are missing\. It has: a, b/],
      [base64('code,kind,inside,title\n"A,function,,x\n'), 'csv', /quotation mark is not closed/],
      [base64('not a zip'), 'xlsx', /not a spreadsheet/],
      [base64(zipSync({ 'x.txt': strToU8('x') })), 'xlsx', /cannot be read/],
      [base64(bomb), 'xlsx', /more than 64 MB/],
      [base64('{"code":"A"}'), 'json', /must be a list of objects/],
      [
        base64('code,kind,inside,title,titel\nA,function,,x,y\n'),
        'csv',
        /There is no column titel\. Did you mean title\? Columns are code, /,
      ],
      [base64('code,kind,inside,title,xyzzy,rule\n'), 'csv', /There are no columns xyzzy and rule\. Did you mean rules\?/],
      [base64('code,kind,inside,title,Title\nA,function,,x,y\n'), 'csv', /There are two columns “title”/],
      [base64('code,kind,inside,title\nA,function,,x\nB,function,,x,surplus\n'), 'csv', /In row 3 something stands in column 5/],
      [base64('code,kind,inside,title,\nA,function,,x,surplus\n'), 'csv', /In row 2 something stands in column 5/],
      [base64('[{"code":"A","kind":"function","inside":"","title":{"en":"x"}}]'), 'json', /Row 2, title, holds a list or an object/],
      [base64('[{"code":"A","kind":"function","inside":"","title":["x"]}]'), 'json', /Row 2, title, holds a list or an object/],
      [base64('{'), 'json', /This is not JSON/],
    ];
    for (const [data, format, sentence] of tries)
      await expectAsync(loadPlan(data, true, format))
        .withContext(String(sentence))
        .toBeRejectedWithError(sentence);
    expect(await statusOf(loadPlan('***', true))).toBe(422);
  });

  chapter('are read in the encoding that they are in, and say so where they had to guess', async () => {
    const text = (title: string): string => `code,kind,inside,title\nQ-${title.length},function,,${title}\n`;
    const wide = (given: string): Buffer => Buffer.from(given, 'utf16le');
    const tries: [string, Buffer, string, string | null][] = [
      ['UTF-8', Buffer.from(text('Bücher für Ærø')), 'Bücher für Ærø', null],
      ['UTF-8 with a mark', Buffer.from(`\uFEFF${text('Ærø')}`), 'Ærø', null],
      ['UTF-16 with a mark', wide(`\uFEFF${text('Łódź')}`), 'Łódź', null],
      ['UTF-16 the other way round with a mark', wide(`\uFEFF${text('Łódź 2')}`).swap16(), 'Łódź 2', null],
      ['UTF-16 without one', wide(text('Bücher, zwei').replace('Bücher, zwei', '"Bücher, zwei"')), 'Bücher, zwei', 'UTF-16LE'],
      ['the other way round without one', wide(text('Straße')).swap16(), 'Straße', 'UTF-16BE'],
      [
        'Windows-1252',
        Buffer.from(text('Bücher – “alt”').replace('–', '\x96').replace('“', '\x93').replace('”', '\x94'), 'latin1'),
        'Bücher – “alt”',
        'Windows-1252',
      ],
      ['UTF-8 of other scripts', Buffer.from(text('記録')), '記録', null],
    ];
    for (const [what, bytes, title, encoding] of tries) {
      const outcome = await loadPlan(bytes.toString('base64'));
      expect([outcome.readAs, outcome.errors]).withContext(what).toEqual([encoding, []]);
      const line = (await exported('plan')).find((l) => l['title'] === title);
      expect(line).withContext(what).toBeDefined();
    }
  });

  chapter('give back what was kept from being a formula as it was', async () => {
    const titles = ['-20 °C store', '=1+1', '@home', "'quoted'", "'", "'=kept", "''+1"];
    await loadPlan(
      base64(JSON.stringify(titles.map((title, i) => ({ code: `F-${i}`, kind: 'function', inside: '', title })))),
      false,
      'json',
    );
    const { bytes } = await fetchBytes('/api/plan/export?format=csv');
    expect(bytes.toString()).toContain("'-20 °C store");
    expect((await loadPlan(bytes.toString('base64'))).changes).toEqual([]);
    expect(titles.every((title) => bytes.toString().includes(title))).toBeTrue();
    const kept = (await exported('plan')).map((l) => l['title']);
    for (const title of titles) expect(kept).withContext(title).toContain(title);
  });

  /** The table as it goes out, with some lines changed. */
  const changedLines = async (change: (lines: Line[]) => void): Promise<string> => {
    const lines = await exported('plan');
    change(lines);
    return json(lines);
  };
  const lineOf = (lines: Line[], code: string, inside?: string): Line =>
    lines.find((l) => l['code'] === code && (inside === undefined || l['inside'] === inside))!;
  const describe_ = async (code: string, change: Record<string, string>): Promise<void> => {
    const keeper = world.as('keeper');
    const { id } = (await keeper.call(plan.placesByCode, { query: { code } })).places[0]!;
    const { revision, title, note, notHere, message, code: now } = await keeper.call(plan.place, { params: { id } });
    await keeper.call(plan.editPlace, { params: { id }, body: { revision, code: now, title, note, notHere, message, ...change } });
  };

  chapter('carry the days on which places opened, closed and were retired, and their numbering and former codes', async () => {
    const { id: numbering } = await world.as('keeper').call(records.makeNumbering, {
      body: { title: 'Days', pattern: 'D-{n}', per: [], gapless: false },
    });
    expect(numbering).toBeTruthy();
    const made = await loadPlan(
      csv([
        { code: 'DAY', kind: 'function', inside: '', title: 'Days', 'opened on': '1990-02-28' },
        {
          code: 'DAY-1',
          kind: 'series',
          inside: 'DAY',
          title: 'One',
          'opened on': '1991-01-01',
          numbering: 'Days',
          'former codes': 'OLD-1 until 2001-01-01',
        },
        { code: 'K', kind: 'folder', inside: 'DAY-1', title: 'Closed', 'opened on': '1992-01-01', 'closed on': '1999-12-31' },
        { code: 'R', kind: 'folder', inside: 'DAY-1', title: 'Retired', 'opened on': '1992-01-01', 'retired on': '2005-06-07' },
        { code: 'X/Y', kind: 'folder', inside: 'DAY-1', title: 'Slash' },
        { code: 'IN', kind: 'folder', inside: 'DAY-1/X/Y', title: 'Inside of a slash' },
      ]),
    );
    expect(errorsOf(made)).toEqual([]);
    const lines = await exported('plan');
    expect(lineOf(lines, 'K')['closed on']).toBe('1999-12-31');
    expect(lineOf(lines, 'R')['retired on']).toBe('2005-06-07');
    expect(lineOf(lines, 'DAY')['opened on']).toBe('1990-02-28');
    expect([lineOf(lines, 'DAY-1')['numbering'], lineOf(lines, 'DAY-1')['former codes']]).toEqual(['Days', 'OLD-1 until 2001-01-01']);
    expect(lineOf(lines, 'IN')['inside']).toBe('DAY-1/X//Y');
    expect((await world.as('keeper').call(plan.placesByCode, { query: { code: 'OLD-1' } })).places[0]!.code).toBe('DAY-1');
    expect((await loadPlan(json(lines), false, 'json')).changes).toEqual([]);
    const reopened = await loadPlan(await changedLines((all) => (lineOf(all, 'K')['closed on'] = '')), false, 'json');
    expect(reopened.changes.map((c) => c.sentence)).toEqual(['DAY-1/K: closed on: “1999-12-31” → nothing']);
    const wrong = await loadPlan(
      csv([
        {
          code: 'DAY-1',
          kind: 'series',
          inside: 'DAY',
          title: 'One',
          'closed on': '31.02.2024',
          'opened on': '2023-02-29',
          'retired on': '2999-01-01',
        },
        { code: 'K', kind: 'folder', inside: 'DAY-1', title: 'Closed', 'closed on': '1991-01-01', 'opened on': '', 'retired on': '' },
        { code: 'N', kind: 'folder', inside: 'DAY-1/R', title: 'In a retired one', 'closed on': '', 'opened on': '', 'retired on': '' },
      ]),
    );
    expect(errorsOf(wrong)).toEqual([
      '2 opened on: must be a date such as 2026-09-14',
      '2 closed on: must be a date such as 2026-09-14',
      '3 closed on: It closes on 1 Jan 1991.',
      '4 inside: R was retired on 7 Jun 2005.',
    ]);
    const next = await loadPlan(
      csv([
        { code: 'DAY-1', kind: 'series', inside: 'DAY', title: 'One', 'closed on': '2024-02-28', 'retired on': '2999-01-01' },
        { code: 'K', kind: 'folder', inside: 'DAY-1', title: 'Closed', 'closed on': '1991-01-01', 'retired on': '' },
        { code: 'N', kind: 'folder', inside: 'DAY-1/R', title: 'In a retired one', 'closed on': '', 'retired on': '' },
      ]),
    );
    expect(errorsOf(next)).toEqual([
      '2 closed on: Only folders are closed; series stay open.',
      '2 retired on: must not be ahead',
      '3 closed on: It closes on 1 Jan 1991.',
      '4 inside: R was retired on 7 Jun 2005.',
    ]);
  });

  chapter('know places by their ids, codes and former codes, so that an old table makes nothing twice', async () => {
    const old = json(await exported('plan'));
    const count = async () => (await exported('plan')).length;
    const before = await count();
    await describe_('DAY-1', { code: 'DAY-9' });
    expect((await loadPlan(old, false, 'json')).changes.map((c) => [c.what, c.sentence])).toEqual([
      ['kept', 'DAY-1: code stays “DAY-9”: it was changed here, and not in what comes'],
    ]);
    // Without ids, by the former code; what it does not say stays, and so does the newer code.
    const bare = await loadPlan(csv([{ code: 'DAY-1', kind: 'series', inside: 'DAY', title: 'One, by its old code' }]));
    expect(bare.changes.map((c) => c.sentence)).toEqual(['DAY-1: title: “One” → “One, by its old code”']);
    expect([await count(), lineOf(await exported('plan'), 'DAY-9')['title']]).toEqual([before, 'One, by its old code']);
    // Renumbered in the table itself.
    const renumbered = await loadPlan(await changedLines((all) => (lineOf(all, 'DAY-9')['code'] = 'DAY-10')), false, 'json');
    expect([renumbered.errors, renumbered.changes.map((c) => c.sentence)]).toEqual([[], ['DAY-10: code: “DAY-9” → “DAY-10”']]);
    expect(lineOf(await exported('plan'), 'K')['inside']).toBe('DAY-10');
    // To a code that another place has.
    const taken = await loadPlan(json([{ ...lineOf(await exported('plan'), 'DAY-10'), code: 'A-02' }]), false, 'json');
    expect(errorsOf(taken)).toEqual(['2 code: A-02 is the code of another place.']);
    expect(await count()).toBe(before);
  });

  chapter('keep what a colleague changed meanwhile, and tell what both changed', async () => {
    const table = await changedLines((all) => {
      lineOf(all, 'DAY')['title'] = 'Days, by the table';
      lineOf(all, 'DAY-10')['belongs here'] = 'by the table';
    });
    await describe_('DAY', { title: 'Days, by a colleague' });
    await describe_('DAY-10', { title: 'One, by a colleague' });
    const refused = await loadPlan(table, false, 'json');
    expect(errorsOf(refused).length).toBe(1);
    expect(errorsOf(refused)[0]).toMatch(
      /^\d+ title: changed here meanwhile, and in the table: title: “Days, by a colleague” → “Days, by the table”$/,
    );
    expect(refused.conflicts).toBe(1);
    const take = { format: 'json', data: table, dryRun: false, conflicts: 'take' } as const;
    const { changes } = await world.as('keeper').call(plan.importPlan, { body: take });
    expect(changes.map((c) => [c.what, c.sentence])).toEqual([
      ['changed', 'DAY: title: “Days, by a colleague” → “Days, by the table”'],
      ['kept', 'DAY-10: title stays “One, by a colleague”: it was changed here, and not in what comes'],
      ['changed', 'DAY-10: belongs here: nothing → “by the table”'],
    ]);
  });

  chapter('never write over what somebody changes in the very moment', async () => {
    const table = await changedLines((all) => (lineOf(all, 'DAY')['belongs here'] = 'by the table'));
    await asOwner(world.database, async (client) => {
      await client.query('begin');
      await client.query(`update place set title = 'In the very moment', revision = revision + 1 where code = 'DAY'`);
      const bringing = loadPlan(table, false, 'json').then(
        () => 'taken',
        (error: Error) => error.message,
      );
      await eventually(async () => {
        const { rows } = await world.pool.query(
          `select from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock' and query like '%from place where id = any%for update%'`,
        );
        return rows.length > 0;
      });
      await client.query('commit');
      expect(await bringing).toMatch(/^412 /);
    });
    const line = lineOf(await exported('plan'), 'DAY');
    expect([line['title'], line['belongs here']]).toEqual(['In the very moment', '']);
  });

  chapter('are tried as they are taken in, line by line, with what becomes of dates', async () => {
    const lines = await exported('plan');
    const { id: series } = (await world.as('keeper').call(plan.placesByCode, { query: { code: 'A-02' } })).places[0]!;
    const filed = await Promise.all([1, 2, 3].map(() => world.file('keeper', { place: series })));
    const table = csv([{ ...lineOf(lines, 'A-02'), rules: 'R-ONE' }]);
    const due = () => Promise.all(filed.map(async ({ id }) => (await world.as('keeper').call(records.dossier, { params: { id } })).dueOn));
    expect(await due()).toEqual([null, null, null]);
    const tried = await loadPlan(table, true);
    expect(tried.dates).toEqual({ of: 3, looked: 3, earlier: 0, later: 0, first: 3, none: 0 });
    expect(await due()).toEqual([null, null, null]);
    const done = await loadPlan(table);
    expect({ ...done, dates: tried.dates, access: tried.access }).toEqual(tried);
    expect(tried.access).toEqual({ gains: [], loses: [], people: 0 });
    expect((await due()).every((on) => on !== null)).toBeTrue();
    // A folder with a declared record does not leave its series by a table, either.
    await world.as('keeper').call(plan.makePlace, { body: { parentId: series, kind: 'folder', code: 'DEC', title: 'Declared' } });
    const { id: folder } = (await world.as('keeper').call(plan.placesByCode, { query: { code: 'A-02/DEC' } })).places[0]!;
    const { id: record } = await world.file('keeper', { place: folder });
    await world.as('keeper').call(records.declare, { body: { ids: [record] } });
    const moved = await loadPlan(await changedLines((all) => (lineOf(all, 'DEC')['inside'] = 'DAY-10')), true, 'json');
    expect(errorsOf(moved)).toEqual([jasmine.stringMatching(/^[1-9]\d* inside: /) as unknown as string]);
    const circle = await loadPlan(await changedLines((all) => (lineOf(all, 'X/Y')['inside'] = 'DAY-10/X//Y/IN')), true, 'json');
    expect(errorsOf(circle)).toEqual([jasmine.stringMatching(/^[1-9]\d* inside: /) as unknown as string]);
  });

  chapter('tell two hundred mistakes, each by its row and column', async () => {
    const right = (i: number): Line => ({
      code: `E-${i}`,
      kind: 'series',
      inside: 'DAY',
      title: `E ${i}`,
      'opened on': '',
      rules: '',
      numbering: '',
    });
    const spoil: readonly (readonly [column: string, value: (i: number) => string])[] = [
      ['code', (i) => `e ${i}!`],
      ['code', () => ''],
      ['kind', () => 'box'],
      ['inside', () => 'NOWHERE'],
      ['title', () => ''],
      ['title', () => 'x'.repeat(301)],
      ['opened on', () => '2026-02-30'],
      ['rules', () => 'R-NONE'],
      ['numbering', () => 'No such scheme'],
      ['kind', () => 'folder'],
    ];
    const lines = Array.from({ length: 400 }, (_, i) => right(i));
    const expected: string[] = [];
    for (let i = 0; i < 200; i++) {
      const [column, value] = spoil[i % spoil.length]!;
      lines[2 * i]![column] = value(i);
      expected.push(`${2 * i + 2} ${column === 'kind' && i % spoil.length === 9 ? 'inside' : column}`);
    }
    const { errors, changes } = await loadPlan(csv(lines), true);
    const told = new Set(errors.map((e) => `${e.row} ${e.column}`));
    expect(expected.filter((one) => !told.has(one))).toEqual([]);
    expect(errors.filter((e) => e.row % 2 === 1)).toEqual([]);
    expect(errors.every((e) => e.sentence.length > 5)).toBeTrue();
    expect(changes.length).toBeLessThan(400);
  });

  chapter('never hand a spreadsheet a formula', async () => {
    const { id } = await world.as('keeper').call(schedule.makeRule, {
      body: { code: 'R-EVIL', definition: ruleDefinition({ title: '=HYPERLINK("http://evil.example")', authority: '@x' }) },
    });
    expect(id).toBeTruthy();
    const text = (await fetchBytes('/api/schedule/export?format=csv')).bytes.toString();
    expect(text).toContain(`"'=HYPERLINK(""http://evil.example"")"`);
    expect(text).toContain(`'@x`);
    const sheet = await readSheet((await fetchBytes('/api/schedule/export?format=xlsx')).bytes);
    expect(sheet.some((row) => row.includes('=HYPERLINK("http://evil.example")'))).toBeTrue();
  });

  chapter('the plan is a concept scheme, and can be printed', async () => {
    const { bytes, response } = await fetchBytes('/api/plan/export?format=skos');
    expect(response.headers.get('content-type')).toContain('application/ld+json');
    const { '@graph': graph } = JSON.parse(bytes.toString()) as { '@graph': Record<string, unknown>[] };
    const concepts = new Map(graph.map((c) => [c['@id'], c]));
    for (const concept of graph.slice(1)) {
      const broader = (concept['skos:broader'] as { '@id': string } | undefined)?.['@id'];
      if (broader === undefined) expect(concept['skos:topConceptOf']).toEqual({ '@id': graph[0]!['@id'] });
      else
        expect((concepts.get(broader)!['skos:narrower'] as { '@id': string }[]).map((n) => n['@id'])).toContain(concept['@id'] as string);
    }
    const pdf = (await fetchBytes('/api/plan/export?format=pdf')).bytes;
    expect(pdf.subarray(0, 5).toString()).toBe('%PDF-');
    const { rows } = await world.pool.query<{ n: number }>(`select count(*)::int as n from ledger_entry where act = 'exported the plan'`);
    expect(rows[0]!.n).toBeGreaterThan(3);
  });

  chapter('say whose access they change, and on how much, before they do', async () => {
    const reader = () => statusOf(world.as('reader').call(records.dossier, { params: { id: filed[0]!.id } }));
    const { id: series } = (await world.as('keeper').call(plan.placesByCode, { query: { code: 'B-01' } })).places[0]!;
    const filed = await Promise.all([1, 2].map(() => world.file('steward', { place: series })));
    const given = await changedLines(
      (all) => (lineOf(all, 'B-01')['grants'] = 'principal: person reader | profile: borrower | reason: asks | from: 2020-01-01'),
    );
    expect(await reader()).toBe(404);
    const tried = await loadPlan(given, true, 'json');
    expect(errorsOf(tried)).toEqual([]);
    expect(tried.access).toEqual({
      gains: ['Person reader: discover, read, copy out on 2 records and one place'],
      loses: [],
      people: 1,
    });
    expect(await reader()).toBe(404);
    expect((await loadPlan(given, false, 'json')).access).toBeNull();
    expect(await reader()).toBe(200);
    const taken = await changedLines((all) => (lineOf(all, 'B-01')['grants'] = ''));
    expect((await loadPlan(taken, true, 'json')).access!.loses).toEqual([
      'Person reader: discover, read, copy out on 2 records and one place',
    ]);
    await loadPlan(taken, false, 'json');
    expect(await reader()).toBe(404);
    const wrong = await changedLines((all) => {
      Object.assign(lineOf(all, 'B-01'), { grants: 'reader', marking: 'high', 'stand alone': 'perhaps', facts: 'x', 'made from': '{' });
    });
    const cell = 'cannot be read; an export shows how this column is written';
    expect(errorsOf(await loadPlan(wrong, true, 'json')).map((e) => e.replace(/^\d+ /, ''))).toEqual(
      ['facts', 'stand alone', 'marking', 'grants', 'made from'].map((column) => `${column}: ${cell}`),
    );
    const cleared = (login: string, level: number) =>
      asOwner(world.database, (client) => client.query('update principal set clearance_level = $2 where login = $1', [login, level]));
    // A marking shuts out whoever is not cleared for it, and is given by who is; a change among what one may not discover is told to nobody.
    const marked = await changedLines((all) => (lineOf(all, 'B-01')['marking'] = 'level: 2 | caveats: []'));
    expect(errorsOf(await loadPlan(marked, true, 'json'))).toEqual([jasmine.stringContaining('You are not cleared for marking level 2')]);
    await cleared('keeper', 2);
    expect((await loadPlan(marked, true, 'json')).access!.loses.length).toBeGreaterThan(1);
    await loadPlan(marked, false, 'json');
    await cleared('keeper', 1);
    await cleared('reader', 2);
    const around = await changedLines(
      (all) => (lineOf(all, 'B')['grants'] += '\nprincipal: person reader | profile: reader | reason: asks'),
    );
    expect((await loadPlan(around, true, 'json')).access!.gains).toEqual(['Person reader: discover, read on one place']);
    await cleared('reader', 1);
  });

  chapter('say the criteria of a sample by names, and know them again', async () => {
    await loadRules(
      csv([
        {
          code: 'R-SAMPLE',
          title: 'A sample',
          authority: 'Board 2026',
          clock: 'created',
          steps: 'destroy P7Y, 1 approval',
          sample: 'those where under A-02',
        },
      ]),
    );
    const lines = await exported('schedule');
    const line = lines.find((l) => l['code'] === 'R-SAMPLE')!;
    expect(line['sample']).toBe('those where under A-02');
    expect(JSON.stringify(lines)).not.toMatch(/[0-9a-f]{8}-[0-9a-f]{4}-7/);
    expect((await loadRules(json(lines), false, 'json')).changes).toEqual([]);
    const other = await loadRules(json([{ ...line, sample: 'those where under A-01' }]), true, 'json');
    expect(other.changes.map((c) => c.what)).toEqual(['draft']);
    expect(errorsOf(await loadRules(json([{ ...line, sample: 'those where under Nowhere' }]), true, 'json')).length).toBe(1);
  });

  chapter('warn when a code was that of another place', async () => {
    const tried = await loadPlan(await changedLines((all) => (lineOf(all, 'T-1')['code'] = 'DAY-1')), true, 'json');
    expect(tried.errors).toEqual([]);
    expect(tried.warnings).toEqual([
      {
        row: jasmine.any(Number) as unknown as number,
        sentence: jasmine.stringMatching(
          /^DAY-1: DAY-1 was the code of DAY-\d+ .* until 14 Sep 2026; references to it will lead to both$/,
        ) as unknown as string,
      },
    ]);
    expect((await loadPlan(csv([{ code: 'DAY-77', kind: 'series', inside: 'DAY', title: 'Anew' }]), true)).warnings).toEqual([]);
  });

  chapter('are separated by whatever their first line is, whatever stands in their cells', async () => {
    for (const [code, separator] of [
      ['SEP-1', ','],
      ['SEP-2', ';'],
      ['SEP-3', '\t'],
      ['SEP-4', '|'],
    ] as const) {
      const note = `a; b | c, d; e | f, g`;
      const text = [
        ['code', 'kind', 'inside', 'title', 'belongs here'],
        [code, 'function', '', 'Separated', `"${note}"`],
      ].map((line) => line.join(separator));
      expect(errorsOf(await loadPlan(base64(text.join('\n'))))).toEqual([]);
      expect(lineOf(await exported('plan'), code)['belongs here']).toBe(note);
    }
  });
});

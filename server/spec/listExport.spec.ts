import { ledger, records } from '@key-cellar/contract';
import { readSheet } from 'read-excel-file/node';
import Papa from 'papaparse';
import { workbook } from '../src/tables/sheets.js';
import { type Login, makeWorld, type World } from './support/world.js';

const size = 2500;

describe('a list that goes out as a table', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
         facts, search, access_set_id, owner_id, deposited_by, outcome, due_on, action, size, vintage, media_type)
       select gen_random_uuid(), p.code || '-' || lpad(i::text, 4, '0'),
         case i when 7 then '=1+2' when 8 then '"Quoted", & <tagged> _x0041_' when 9 then E'Two\nlines' else 'Log ' || i % 90 end, 'electronic', 'note',
         p.id, p.id, p.ancestors, '2020-01-01'::date + (i * 37) % 900, '2020-01-01', '2023-01-01', '2023-01-01',
         jsonb_build_object('topic', 'Topic ' || i % 3), ''::tsvector, p.access_set_id, $1, $1,
         'dated', '2030-01-01'::date + i % 11, 'destroy', i % 7, 2020 + i % 4, 'text/plain'
       from place p, generate_series(1, $2::int) i where p.id = $3`,
      [world.ids.editor, size, world.ids.A01],
    );
    await world.file('keeper', { title: 'Apart', place: world.ids.B01 });
  });
  afterAll(() => world.stop());

  const exported = async (login: Login, query: string): Promise<Buffer> => {
    const response = await world.as(login).fetch(`/api/records/export?${query}`);
    expect(response.status).toBe(200);
    return Buffer.from(await response.arrayBuffer());
  };
  const csv = async (login: Login, query: string): Promise<Record<string, string>[]> =>
    Papa.parse<Record<string, string>>((await exported(login, `format=csv&${query}`)).toString().slice(1), {
      header: true,
      skipEmptyLines: true,
    }).data;
  const listed = async (login: Login, query: Readonly<Record<string, string>>): Promise<string[]> => {
    const numbers: string[] = [];
    let after: string | undefined;
    do {
      const page = await world.as(login).call(records.list, { query: { ...query, limit: 500, after } as never });
      for (const { number } of page.records) numbers.push(number);
      after = page.next ?? undefined;
    } while (after);
    return numbers;
  };

  it('has every record of the list once, in its order, whatever is asked', async () => {
    const queries: Readonly<Record<string, string>>[] = [
      { sort: 'number' },
      { sort: 'due', descending: 'true' },
      { sort: 'title', vintage: '2021' },
      { sort: 'size', under: world.ids.A },
      { sort: 'filed', show: 'declared' },
    ];
    for (const query of queries)
      for (const login of query['under'] ? (['keeper'] as const) : (['keeper', 'reader', 'outsider'] as const))
        expect((await csv(login, new URLSearchParams(query).toString())).map((line) => line['number']))
          .withContext(`${login} ${JSON.stringify(query)}`)
          .toEqual(await listed(login, query));
  });

  it('is the same in each format, and no text of it is a formula', async () => {
    const lines = await csv('keeper', 'facts=topic');
    const json = JSON.parse((await exported('keeper', 'format=json&facts=topic')).toString()) as Record<string, string>[];
    const [head, ...cells] = await readSheet(await exported('keeper', 'format=xlsx&facts=topic'));
    expect(json.length).toBe(size + 1);
    expect(cells.map((line) => line.map((cell) => cell ?? ''))).toEqual(
      json.map((line) => head!.map((name) => line[String(name)] ?? '')) as never,
    );
    const [formula, odd, two] = [7, 8, 9].map((i) => json.find((line) => line['number']!.endsWith(`-000${i}`))!['title']);
    expect([formula, odd, two]).toEqual(['=1+2', '"Quoted", & <tagged> _x0041_', 'Two\nlines']);
    expect(lines.find((line) => line['number']!.endsWith('-0007'))!['title']).toBe(`'=1+2`);
    expect(json[0]!['fact topic']).toBe('Topic 1');
  });

  it('tells facts of what somebody may read, and nothing of what they may not discover', async () => {
    const about = (login: Login) => csv(login, 'facts=topic&sort=number');
    expect((await about('reader')).some((line) => line['title'] === 'Apart')).toBe(false);
    expect((await about('keeper')).some((line) => line['title'] === 'Apart')).toBe(true);
    expect(await about('outsider')).toEqual([]);
    expect((await about('reader'))[0]!['fact topic']).toBe('Topic 1');
    expect((await world.as('reader').fetch(`/api/records/export?format=csv&under=${world.ids.B01}`)).status).toBe(404);
    expect((await world.as('reader').fetch('/api/records/export?format=pdf')).status).toBe(422);
  });

  it('is told in the ledger before a line of it leaves', async () => {
    await exported('reader', 'format=csv&vintage=2021');
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { act: 'exported a list' } });
    expect([entries[0]!.actor, entries[0]!.after]).toEqual(['Person reader', { format: 'csv', records: 625, filter: { vintage: 2021 } }]);
  });

  it('gives its connection back when whoever takes it leaves in the middle', async () => {
    for (const format of ['csv', 'xlsx', 'json']) {
      for (let turn = 0; turn < 12; turn++) {
        const leaving = new AbortController();
        const response = await world.as('keeper').fetch(`/api/records/export?format=${format}`, { signal: leaving.signal });
        await response.body!.getReader().read();
        leaving.abort();
      }
      expect((await exported('keeper', `format=${format}`)).length).toBeGreaterThan(1000);
    }
  });

  it('goes on in another sheet where one is full, and holds a few lines at a time', async () => {
    const wanted = 1_048_580;
    async function* lines(): AsyncGenerator<string[][]> {
      for (let from = 0; from < wanted; from += 5000)
        yield await Promise.resolve(Array.from({ length: Math.min(5000, wanted - from) }, (_, i) => [String(from + i)]));
    }
    const before = process.memoryUsage().rss;
    let [most, bytes] = [0, 0];
    const parts: Uint8Array[] = [];
    for await (const part of workbook(['n'], lines())) {
      parts.push(part);
      bytes += part.length;
      most = Math.max(most, process.memoryUsage().rss - before - bytes);
    }
    expect(most / 1e6).toBeLessThan(200);
    const { withZip } = await import('../src/kernel/zip.js');
    const { text } = await import('node:stream/consumers');
    const sheets = await withZip(Buffer.concat(parts), async (entries) => {
      const found = new Map<string, { rows: number; last: string }>();
      for await (const entry of entries) {
        if (!entry.name.includes('worksheets')) continue;
        const xml = await text(await entry.open());
        found.set(entry.name, { rows: xml.split('<row ').length - 1, last: /.*<t xml:space="preserve">(\d+)</s.exec(xml)![1]! });
      }
      return found;
    });
    expect([...sheets]).toEqual([
      ['xl/worksheets/sheet1.xml', { rows: 1_048_576, last: '1048574' }],
      ['xl/worksheets/sheet2.xml', { rows: 6, last: '1048579' }],
    ]);
  });
});

import { plan } from '@key-cellar/contract';
import { strToU8, zipSync } from 'fflate';
import { GivenUp, Problem, tasksIn, type Tasks } from '../src/kernel/index.js';
import { readingWords } from '../src/records/index.js';
import { readingCells } from '../src/tables/index.js';
import { makeWorld, Refused, statusOf, type World } from './support/world.js';

const sheetWith = (cells: string, more: Record<string, Uint8Array> = {}): Uint8Array =>
  zipSync({
    '[Content_Types].xml': strToU8(
      '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/></Types>',
    ),
    'xl/workbook.xml': strToU8(
      '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>',
    ),
    'xl/_rels/workbook.xml.rels': strToU8(
      '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
    ),
    'xl/worksheets/sheet1.xml': strToU8(
      `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">${cells}</worksheet>`,
    ),
    ...more,
  });

const cell = (at: string, value: number): string => `<row r="${at.replace(/\D/g, '')}"><c r="${at}"><v>${value}</v></c></row>`;

/** The same archive, whose directory says that every part unpacks to a kilobyte (APPNOTE.TXT §4.3.7, §4.3.12). */
function lying(archive: Uint8Array): Buffer {
  const bytes = Buffer.from(archive);
  for (let at = 0; at < bytes.length - 4; at++) {
    const head = bytes.readUInt32LE(at);
    if (head === 0x04034b50) bytes.writeUInt32LE(1024, at + 22);
    if (head === 0x02014b50) bytes.writeUInt32LE(1024, at + 24);
  }
  return bytes;
}

describe('a file of a thousand tricks', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const bring = (bytes: Uint8Array, format: 'xlsx' | 'csv' | 'json' = 'xlsx'): Promise<unknown> =>
    world.as('keeper').call(plan.importPlan, { body: { format, data: Buffer.from(bytes).toString('base64'), dryRun: true } });
  const refusalOf = (bytes: Uint8Array, format: 'xlsx' | 'csv' | 'json' = 'xlsx'): Promise<string> =>
    bring(bytes, format).then(
      () => 'taken',
      (error: unknown) => (error instanceof Refused ? `${error.status} ${error.problem.detail}` : String(error)),
    );

  it('is refused with where it reaches too far', async () => {
    expect(await refusalOf(sheetWith(`<sheetData>${cell('XFD1048576', 1)}</sheetData>`))).toContain('422 There is a cell at XFD1048576');
    expect(await refusalOf(sheetWith(`<dimension ref="A1:XFD9"/><sheetData>${cell('A1', 1)}</sheetData>`))).toContain('a cell at XFD9');
    expect(await refusalOf(sheetWith(`<sheetData>${cell('A50002', 1)}</sheetData>`))).toContain('a cell at A50002');
    expect(await refusalOf(sheetWith(`<sheetData>${cell('GR50001', 1)}${cell('GS1', 1)}</sheetData>`))).toContain('a cell at GS1,');
    // Across the pieces in which it is unpacked, too.
    const far = `<sheetData>${' '.repeat(200_000)}${cell('ZZZ1', 1)}</sheetData>`;
    for (let shift = 0; shift < 30; shift += 7) expect(await refusalOf(sheetWith(' '.repeat(shift) + far))).toContain('a cell at ZZZ1');
  });

  it('is refused by what it unpacks to, whatever its directory says', async () => {
    const large = { 'xl/media/large.bin': new Uint8Array(70_000_000) };
    const honest = sheetWith(`<sheetData>${cell('A1', 1)}</sheetData>`, large);
    expect(await refusalOf(honest)).toContain('unpacks to more than 64 MB');
    const began = Date.now();
    expect(await refusalOf(lying(honest))).toMatch(/^422 (This is not a spreadsheet|This spreadsheet unpacks)/);
    expect(Date.now() - began).toBeLessThan(20_000);
    const many = Object.fromEntries(Array.from({ length: 2001 }, (_, i) => [`xl/media/${i}.bin`, new Uint8Array(1)]));
    expect(await refusalOf(sheetWith('', many))).toContain('more than 2,000 parts');
  }, 30_000);

  it('has no control characters in any cell', async () => {
    const table = (title: string): Buffer => Buffer.from(`code,kind,inside,title\nA1,function,,${title}\n`);
    expect(await refusalOf(table('bell\u0007'), 'csv')).toContain('Row 2, column title');
    expect(await refusalOf(Buffer.from('code,ki\u0000nd,inside,title\n'), 'csv')).toContain('column 2');
    expect(
      await refusalOf(Buffer.from(JSON.stringify([{ code: 'A1', kind: 'function', inside: '', title: 'half\ud800' }])), 'json'),
    ).toContain('column title');
    expect(await refusalOf(table('Cafe\u0301'), 'csv')).toBe('taken');
  });

  it('keeps the server from nothing else while it is read', async () => {
    // As deep as eight megabytes go: whatever reads it builds millions of lists.
    const deep = bring(Buffer.from(`[${'['.repeat(3_900_000)}${']'.repeat(3_900_000)}]`), 'json').catch((error: unknown) => error);
    const times: number[] = [];
    let done = false;
    void deep.then(() => (done = true));
    while (!done && times.length < 500) {
      const began = performance.now();
      expect(await statusOf(world.as('reader').call(plan.outline))).toBe(200);
      times.push(performance.now() - began);
    }
    expect((await deep) instanceof Refused).toBeTrue();
    expect(times.sort((a, b) => a - b)[Math.floor(times.length / 2)]).toBeLessThan(1000);
  }, 60_000);

  describe('asked of a thread', () => {
    let tasks: Tasks;
    let told: unknown[][];
    const log = { warn: (...line: unknown[]) => void told.push(line) };
    beforeEach(() => (told = []));
    afterEach(() => tasks.stop());
    const text = (n: number) => ({ bytes: Buffer.from('<a> '.repeat(n)), mediaType: 'text/html' });

    it('is given up when it takes too long; what waits behind it is answered by the next one', async () => {
      tasks = tasksIn('readThread', { memoryMb: 512, log });
      const endless = tasks.run({ ...readingWords, patienceMs: 1 }, text(2_000_000)).catch((error: unknown) => error);
      const after = tasks.run(readingWords, text(1));
      expect(await endless).toBeInstanceOf(GivenUp);
      expect(told).toEqual([[{ thread: 'readThread', task: 'words' }, 'a thread was ended. It took too long.']]);
      expect((await after).text.trim()).toBe('');
      const wrong = { bytes: Buffer.from('x'), format: 'json' as const };
      await expectAsync(tasks.run(readingCells, wrong)).toBeRejectedWith(jasmine.any(Problem));
      await expectAsync(tasks.run({ name: 'unknown', patienceMs: 10_000 }, null)).toBeRejectedWithError(Error);
    }, 30_000);

    it('is not given up for the time that its thread takes to start', async () => {
      tasks = tasksIn('readThread', { memoryMb: 512, log });
      const begun = Date.now();
      await tasks.run(readingWords, text(1));
      const patienceMs = (Date.now() - begun) / 3;
      await tasks.stop();
      tasks = tasksIn('readThread', { memoryMb: 512, log });
      expect((await tasks.run({ ...readingWords, patienceMs }, text(1))).text.trim()).toBe('');
      expect(told).toEqual([]);
    }, 30_000);

    it('is given up when it takes too much memory', async () => {
      tasks = tasksIn('readThread', { memoryMb: 64, log });
      const rows = Buffer.from(`[${'{"a":[1,2,3,4,5,6,7,8]},'.repeat(400_000)}{}]`);
      expect(await tasks.run(readingCells, { bytes: rows, format: 'json' }).catch((error: unknown) => error)).toBeInstanceOf(GivenUp);
      expect(told).toEqual([[{ thread: 'readThread', task: 'cells' }, 'a thread was ended. It took too much memory.']]);
      expect((await tasks.run(readingWords, text(1))).text.trim()).toBe('');
    }, 30_000);
  });
});

import { TestBed } from '@angular/core/testing';
import { plan } from '@key-cellar/contract';
import { ExportMenu } from './exportMenu';
import { TableImport } from './tableImport';
import { Stage, testingProviders } from './testing';

describe('taking in a table', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = (): Promise<Stage<TableImport>> =>
    Stage.show(TableImport, { open: true, heading: 'Import a plan', endpoint: plan.importPlan });
  const choose = async (stage: Stage<TableImport>, name: string, text: string): Promise<void> => {
    const field = document.querySelector<HTMLInputElement>('.p-drawer input[type="file"]')!;
    const files = new DataTransfer();
    files.items.add(new File([text], name));
    field.files = files.files;
    field.dispatchEvent(new Event('change'));
    await stage.settle();
  };
  const words = (stage: Stage<TableImport>): string => stage.sheet.textContent!.replace(/\s+/g, ' ');

  it('lists every error by row and column, and takes nothing in then', async () => {
    const stage = await show();
    await choose(stage, 'plan.xlsx', 'bytes');
    const request = await stage.answer('/api/plan/import', {
      rows: 2,
      changes: [],
      errors: [{ row: 3, column: 'code', sentence: 'is missing' }],
      warnings: [],
      conflicts: 0,
      dates: null,
      access: null,
      recomputed: 0,
      readAs: 'Windows-1252',
    });
    expect(request.request.body).toEqual({ format: 'xlsx', data: btoa('bytes'), dryRun: true });
    expect(words(stage)).toContain('1 of 2 rows are wrong.');
    expect(words(stage)).toContain('3codeis missing');
    expect(words(stage)).toContain('Read as Windows-1252, since the file does not say what it is.');
    expect(() => stage.button(/^Apply/, stage.sheet)).toThrow();
  });

  it('says what changes before it changes, and what came of it', async () => {
    const stage = await show();
    let done = 0;
    stage.fixture.componentInstance.done.subscribe((o) => (done = o.recomputed));
    await choose(stage, 'plan.csv', 'code,kind\n');
    const outcome = {
      rows: 1,
      changes: [{ row: 2, what: 'new', sentence: 'A is made inside ALL' }],
      errors: [],
      warnings: [],
      conflicts: 0,
      dates: null,
      access: null,
      recomputed: 0,
      readAs: null,
    };
    await stage.answer('/api/plan/import', outcome);
    expect(words(stage)).toContain('A is made inside ALL');
    await stage.press('Apply one change', stage.sheet);
    const request = await stage.answer('/api/plan/import', { ...outcome, recomputed: 7 });
    expect(request.request.body.dryRun).toBeFalse();
    expect(done).toBe(7);
  });

  it('asks what becomes of what was changed here and in the table, and says how due dates move', async () => {
    const stage = await show();
    await choose(stage, 'plan.csv', 'code,kind\n');
    const outcome = {
      rows: 1,
      changes: [],
      warnings: [],
      errors: [],
      conflicts: 0,
      dates: null,
      access: null,
      recomputed: 0,
      readAs: null,
    };
    const error = { row: 2, column: 'title', sentence: 'changed here meanwhile' };
    await stage.answer('/api/plan/import', { ...outcome, errors: [error], conflicts: 1 });
    await stage.choose('conflicts', 'becomes as in the table');
    const request = await stage.answer('/api/plan/import', {
      ...outcome,
      changes: [{ row: 2, what: 'changed', sentence: 'A: title' }],
      dates: { of: 9, looked: 4, earlier: 1, later: 0, first: 2, none: 0 },
      warnings: [{ row: 7, sentence: 'A-01 was the code of another place' }],
      access: { gains: ['Lune Abara: read, on 3 records'], loses: ['Kofi: read, on one place'], people: 5 },
    });
    expect(request.request.body).toEqual(jasmine.objectContaining({ conflicts: 'take', dryRun: true }));
    expect(words(stage)).toContain('Due dates move: 1 earlier, 2 get a first date.The first 4 of 9 records were looked at.');
    expect(words(stage)).toContain('Gain accessLune Abara: read, on 3 recordsLose accessKofi: read, on one placeand 3 more');
    expect(words(stage)).toContain('Row 7: A-01 was the code of another place');
  });

  it('keeps what was chosen when the file is no table', async () => {
    const stage = await show();
    await choose(stage, 'plan.json', '{');
    await stage.refuse('/api/plan/import', 'This is no JSON.', undefined, 422);
    expect(words(stage)).toContain('This is no JSON.');
    expect(words(stage)).toContain('plan.json');
  });
});

describe('exporting', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('offers each format as an address', async () => {
    const stage = await Stage.show(ExportMenu, { address: '/api/plan/export', formats: ['csv', 'skos'] });
    await stage.press('Export …');
    const links = [...document.querySelectorAll<HTMLAnchorElement>('a.p-menu-item-link')].map((a) => a.getAttribute('href'));
    expect(links).toEqual(['/api/plan/export?format=csv', '/api/plan/export?format=skos']);
  });
});

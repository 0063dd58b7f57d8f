import { TestBed } from '@angular/core/testing';
import { sectionNames, type PackageOutcome } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { grouped } from './outcome';
import { PackagesPage } from './packagesPage';

const outcome: PackageOutcome = {
  items: 3,
  changes: [],
  conflicts: [],
  errors: [],
  warnings: [],
  access: null,
  dates: null,
  recomputed: 0,
};
const line = { section: 'places' as const, name: 'A-01', sentence: 'title: “Old” → “New”' };

describe('packages', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  const words = (stage: Stage<PackagesPage>): string => stage.host.textContent!.replace(/\s+/g, ' ');
  const choose = async (stage: Stage<PackagesPage>): Promise<void> => {
    const field = stage.host.querySelector<HTMLInputElement>('input[type="file"]')!;
    const files = new DataTransfer();
    files.items.add(new File(['zip'], 'package.zip'));
    field.files = files.files;
    field.dispatchEvent(new Event('change'));
    await stage.settle();
  };

  it('go out as a file, and come in only after they were tried', async () => {
    const stage = await Stage.show(PackagesPage);
    expect(stage.host.querySelector('a[download]')!.getAttribute('href')).toBe('/api/package');
    await choose(stage);
    const changes: PackageOutcome['changes'] = [
      { section: 'rules', name: 'R-1', what: 'new', sentence: '' },
      { ...line, what: 'kept', sentence: 'title stays “Here”' },
    ];
    const dates = { of: 5, looked: 5, earlier: 0, later: 3, first: 0, none: 0 };
    const tried = await stage.answer('/api/package', { ...outcome, changes, dates, recomputed: 5 });
    expect(tried.request.body).toEqual({ data: btoa('zip'), conflicts: 'refuse', dryRun: true });
    expect(words(stage)).toContain('1 of 3 items are new or change.');
    expect(words(stage)).toContain('Due dates move: 3 later.');
    expect(words(stage)).toMatch(/NewRulesR-1Stays as it is herePlaces, their rules and accessA-01 – title stays “Here”/);
    await stage.press('Apply one change');
    const done = await stage.answer('/api/package', { ...outcome, changes, recomputed: 5 });
    expect(done.request.body.dryRun).toBeFalse();
    expect(words(stage)).toContain('Imported. 3 items came, and 5 records are dated anew.');
  });

  it('ask what counts of what was changed on both sides, and offer nothing before that', async () => {
    const stage = await Stage.show(PackagesPage);
    await choose(stage);
    await stage.answer('/api/package', { ...outcome, conflicts: [line] });
    expect(words(stage)).toContain('One thing was changed here and in the package. Decide what counts.');
    expect(words(stage)).toContain('A-01 – title: “Old” → “New”');
    expect(() => stage.button(/^Apply/)).toThrow();
    await stage.choose('conflicts', 'becomes as in the package');
    const tried = await stage.answer('/api/package', { ...outcome, changes: [{ ...line, what: 'changed' }] });
    expect(tried.request.body).toEqual(jasmine.objectContaining({ conflicts: 'take', dryRun: true }));
    expect(() => stage.button('Apply one change')).not.toThrow();
  });

  it('say what is wrong by file and name, and what is no package', async () => {
    const stage = await Stage.show(PackagesPage);
    await choose(stage);
    await stage.answer('/api/package', { ...outcome, errors: [{ ...line, sentence: 'there is no rule R-9' }] });
    expect(words(stage)).toContain('One thing is wrong. Nothing is imported until the package is corrected.');
    expect(words(stage)).toContain('A-01 – there is no rule R-9');
    expect(() => stage.button(/^Apply/)).toThrow();
    await choose(stage);
    await stage.refuse('/api/package', 'This is no package: ZIP is not as the manifest says.', undefined, 422);
    expect(words(stage)).toContain('This is no package');
    await choose(stage);
    await stage.answer('/api/package', outcome);
    expect(words(stage)).toContain('3 items, and nothing in them is new.');
  });

  it('list the first of very many, in the order of the package', () => {
    const lines = Array.from({ length: 450 }, (_, i) => ({ ...line, name: `P-${i}` }));
    const groups = grouped([...lines, { ...line, section: 'rules' as const }]);
    expect(groups.map((g) => [g.section, g.lines.length, g.more])).toEqual([
      ['Rules', 1, 0],
      ['Places, their rules and access', 200, 250],
    ]);
  });

  it('have a table for each kind, that comes in where it belongs', async () => {
    const stage = await Stage.show(PackagesPage);
    const rows = [...stage.host.querySelectorAll('.tables tr')].map((row) => row.querySelector('td')!.textContent!.trim());
    expect(rows.length).toBe(sectionNames.length);
    for (const [kind, address] of [
      ['People', '/api/tables/people'],
      ['Places, their rules and access', '/api/plan/import'],
    ] as const) {
      await stage.press(`Import a table: ${kind}`);
      const field = document.querySelector<HTMLInputElement>('.p-drawer input[type="file"]')!;
      const files = new DataTransfer();
      files.items.add(new File(['a'], 'table.csv'));
      field.files = files.files;
      field.dispatchEvent(new Event('change'));
      await stage.settle();
      const told = { ...outcome, rows: 1, conflicts: 0, readAs: null, changes: [{ row: 2, what: 'new', sentence: 'x' }] };
      expect((await stage.answer(address, told)).request.body).toEqual({ format: 'csv', data: btoa('a'), dryRun: true });
      await stage.press('Apply one change', stage.sheet);
      await stage.answer(address, { ...told, recomputed: 2 });
      expect(words(stage)).toContain(`${kind}: one change. Records recalculated: 2.`);
    }
  });
});

import { TestBed } from '@angular/core/testing';
import type { NumberingLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { NumberingPage } from './numberingPage';

describe('numbering', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  const line: NumberingLine = {
    id: 'n',
    title: 'Pilotage bills',
    pattern: 'PB-{year}-{nnn}',
    per: ['year'],
    gapless: false,
    revision: 3,
    places: [{ id: 's', code: 'PIL-03', title: 'Bills' }],
    used: true,
  };
  const show = async (who = {}, lines = [line]): Promise<Stage<NumberingPage>> => {
    const stage = await Stage.show(NumberingPage, {}, who);
    await stage.answer('/api/numberings', { numberings: lines });
    return stage;
  };

  it('tells how records are numbered, where, and what is usual', async () => {
    const stage = await show();
    const [first, usual] = [...stage.host.querySelectorAll<HTMLTableRowElement>('tbody tr')].map((r) =>
      [...r.cells].map((c) => c.textContent!.trim()),
    );
    expect(first!.slice(0, 5)).toEqual(['Pilotage bills', 'PB-{year}-{nnn}', 'each year', 'may occur', 'PIL-03']);
    expect(usual![1]).toBe('{series}/{year}/{nnnn}');
  });

  it('shows the numbers of a pattern while it is typed, and why it would give one twice', async () => {
    const stage = await show();
    await stage.press('New numbering');
    expect(stage.sheet.textContent).toContain('BER-01/2026/0001');
    await stage.type('#numbering-title', 'Mine');
    await stage.type('#numbering-pattern', 'M-{nnn}');
    expect(stage.sheet.textContent).toContain('two records would get the same number');
    expect(stage.button('Create').disabled).toBeTrue();
    await stage.type('#numbering-pattern', 'M-{series}-{year}-{nnn}');
    expect(stage.sheet.textContent).toContain('M-BER-01-2026-003');
    await stage.press('Create');
    const made = await stage.answer('/api/numberings', { id: 'm' });
    expect(made.request.body).toEqual({ title: 'Mine', pattern: 'M-{series}-{year}-{nnn}', per: ['series', 'year'], gapless: true });
    await stage.answer('/api/numberings', { numberings: [line] });
  });

  it('changes one by its revision, and says what was refused', async () => {
    const stage = await show();
    await stage.press('Change Pilotage bills');
    await stage.type('#numbering-title', 'Bills');
    await stage.press('Change it');
    const request = await stage.refuse('/api/numberings/n', 'Somebody changed it meanwhile.', undefined, 412);
    expect(request.request.body).toEqual({ title: 'Bills', pattern: 'PB-{year}-{nnn}', per: ['year'], gapless: false, revision: 3 });
    expect(stage.sheet.textContent).toContain('Somebody changed it meanwhile.');
  });

  it('is only to be read by those who do not decide about it', async () => {
    const stage = await show({ rights: ['discover', 'read'] });
    expect(() => stage.button('New numbering')).toThrow();
    expect(() => stage.button('Change Pilotage bills')).toThrow();
  });

  it('removes one that never gave a number, and says why it could not', async () => {
    const idle = { ...line, id: 'i', title: 'Idle', places: [], used: false };
    const stage = await show({}, [line, idle]);
    expect(() => stage.button('Remove Pilotage bills')).toThrow();
    await stage.press('Remove Idle');
    const asked = await stage.refuse('/api/numberings/i/drop', '“Idle” gave numbers, so it stays: none may be given twice.');
    expect(asked.request.body).toEqual({ revision: 3 });
    expect(stage.text()).toContain('“Idle” gave numbers, so it stays');
    await stage.press('Remove Idle');
    await stage.answer('/api/numberings/i/drop', {});
    await stage.answer('/api/numberings', { numberings: [line] });
    expect(stage.text()).not.toContain('Idle');
  });
});

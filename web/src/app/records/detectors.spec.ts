import { TestBed } from '@angular/core/testing';
import type { DetectorLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { DetectorsPage } from './detectorsPage';

const line: DetectorLine = {
  id: 'd',
  title: 'Payment cards',
  note: 'Nobody keeps these.',
  signs: [
    { kind: 'pattern', pattern: '#### #### #### ####', check: 'luhn', atLeast: 1 },
    { kind: 'words', words: ['card number'], atLeast: 1 },
  ],
  revision: 4,
  retiredOn: null,
  records: 12,
};

describe('detectors', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (given: Partial<{ detectors: DetectorLine[]; waiting: number }> = {}, who = {}): Promise<Stage<DetectorsPage>> => {
    const stage = await Stage.show(DetectorsPage, {}, who);
    await stage.answer('/api/setup/detectors', { detectors: [line], waiting: 0, ...given });
    return stage;
  };
  const said = (stage: Stage<DetectorsPage>): string => stage.sheet.textContent!.replace(/\s+/g, ' ');

  it('say what they look for, how much they found and lead to it', async () => {
    const stage = await show();
    expect(stage.text()).toContain('“#### #### #### ####” with a valid check digit');
    expect(stage.text()).toContain('or the word card number');
    expect(stage.text()).toContain('All records have been scanned.');
    const link = [...stage.host.querySelectorAll('a')].find((a) => a.textContent!.trim() === '12')!;
    expect(decodeURIComponent(link.getAttribute('href')!)).toBe('/find?where=matches detector Payment cards');
  });

  it('tell how many records are still to be looked at, until none is', async () => {
    const stage = await show({ waiting: 1200 });
    expect(stage.text()).toContain('1,200 records are still to be looked at.');
    await stage.until(() => stage.http.match('/api/setup/detectors').map((r) => r.flush({ detectors: [line], waiting: 0 })).length > 0);
    await stage.settle();
    expect(stage.text()).toContain('All records have been scanned.');
  });

  it('are tried while they are put together: what is found is marked', async () => {
    const stage = await show({ detectors: [] });
    expect(stage.text()).toContain('No detector yet');
    await stage.press('New detector');
    expect(stage.button('Create').disabled).toBeTrue();
    await stage.type('#detector-title', 'Accounts');
    await stage.type('#sign-pattern-0', '@@## *');
    await stage.choose('sign-check-0', /MOD 97/);
    await stage.type('#detector-text', 'Pay DE89 3704 0044 0532 0130 00 by Friday.');
    expect(said(stage)).toContain('It matches.');
    expect([...stage.sheet.querySelectorAll('mark')].map((m) => m.textContent)).toEqual(['DE89 3704 0044 0532 0130 00']);
    await stage.type('#detector-text', 'Pay DE89 3704 0044 0532 0130 01 by Friday.');
    expect(said(stage)).toContain('It does not match.');
    await stage.press('Create');
    const request = await stage.refuse('/api/setup/detectors', 'There is a detector “Accounts” already.', undefined, 422);
    expect(request.request.body).toEqual({
      title: 'Accounts',
      note: '',
      signs: [{ kind: 'pattern', pattern: '@@## *', check: 'mod97', atLeast: 1 }],
    });
    expect(said(stage)).toContain('There is a detector “Accounts” already.');
    expect(document.querySelector<HTMLInputElement>('#detector-title')!.value).toBe('Accounts');
  });

  it('have several signs, each said to be wrong where it is', async () => {
    const stage = await show();
    await stage.press('Change Payment cards');
    await stage.press('Another sign');
    expect(said(stage)).toContain('No words are given.');
    expect(stage.button('Change it').disabled).toBeTrue();
    const area = document.querySelector<HTMLTextAreaElement>('#sign-words-2')!;
    area.value = 'one\n two ';
    area.dispatchEvent(new Event('input'));
    area.dispatchEvent(new Event('blur'));
    await stage.settle();
    await stage.type('#sign-least-2', '3');
    expect(said(stage)).toContain('3 different words can never be found: there are 2.');
    await stage.press('Remove sign 3');
    await stage.press('Retire it');
    const request = await stage.answer('/api/setup/detectors/d', { revision: 5, waiting: 0 });
    expect(request.request.body).toEqual(jasmine.objectContaining({ revision: 4, retired: true, signs: line.signs }));
  });

  it('are tried on records: those named, and some by lot', async () => {
    const stage = await show();
    await stage.press('Change Payment cards');
    await stage.type('#detector-numbers', 'A/1, A/2');
    await stage.press('Try it on records');
    const row = { id: 'r', number: 'A/1', title: 'Bill', met: true, found: [1, 0], unread: [] };
    const asked = await stage.answer('/api/setup/detectors/try', {
      chosen: [row, { ...row, id: 's', number: 'A/2', met: false, unread: ['A scan: there is no text in it.'] }],
      some: [row, { ...row, id: 't', number: 'A/3' }],
      looked: 50,
      of: 1000,
    });
    expect(asked.request.body).toEqual({ signs: line.signs, numbers: ['A/1', 'A/2'], some: 50 });
    expect(said(stage)).toContain('2 of 50 records chosen at random match: of all 1,000, about 40.');
    expect([...stage.sheet.querySelectorAll('li')].map((li) => li.textContent!.replace(/\s+/g, ' ').trim())).toEqual([
      'A/1 Billmatches',
      'A/2 Billdoes not matchA scan: there is no text in it.',
      'A/3 Billmatches',
    ]);
    // Of other signs nothing is known yet.
    await stage.type('#sign-pattern-0', '####');
    expect(said(stage)).not.toContain('chosen at random match');
  });

  it('say what they could not read', async () => {
    const stage = await Stage.show(DetectorsPage, {});
    await stage.answer('/api/setup/detectors', { detectors: [line], waiting: 0, unread: 3 });
    expect(stage.text()).toContain('3 records could not be read whole.');
    stage.host.querySelector<HTMLElement>('summary')!.click();
    await stage.settle();
    await stage.answer('/api/setup/detectors/unread', {
      records: [{ id: 'r', number: 'A/1', title: 'Photo', unread: ['A picture: its words are not read.'] }],
      total: 3,
    });
    expect(stage.text()).toContain('A picture: its words are not read.');
    expect(stage.text()).toContain('The newest 1 of 3.');
  });

  it('are changed by keepers only', async () => {
    const stage = await show({}, { rights: ['discover', 'audit'] });
    expect(() => stage.button('New detector')).toThrow();
    expect(() => stage.button('Change Payment cards')).toThrow();
    expect(stage.text()).toContain('Detectors');
  });
});

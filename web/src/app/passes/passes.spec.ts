import { TestBed } from '@angular/core/testing';
import type { PassLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { PassesPage } from './passesPage';
import { PassSheet } from './passSheet';
import { VisitorPage } from './visitorPage';

const pass = (more: Partial<PassLine> = {}): PassLine => ({
  ...{ id: 'p1', visitor: 'Ann Lee', reason: 'is asked', madeBy: { id: 'x', name: 'Ines' }, madeOn: '2026-09-14', until: '2026-10-14' },
  ...{ copyOut: false, passphrase: false, openings: 3, opened: 1, lastOpened: null, place: null, state: 'open' },
  records: [{ id: 'r1', name: 'A-01/1 Letter' }],
  ...more,
});

describe('a visitor pass', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('is made with what was said, and shows its link once', async () => {
    const stage = await Stage.show(PassSheet, { open: true, recordIds: ['r1', 'r2'] }, { rights: ['link', 'copyOut'] });
    expect(document.body.textContent).toContain('2 records');
    await stage.type('#pass-visitor', 'Ann Lee');
    await stage.type('#pass-reason', 'is asked');
    await stage.type('#pass-passphrase', 'short');
    await stage.press('Make the pass');
    const wrong = [{ pointer: '/passphrase', sentence: 'must have at least 8 characters' }];
    await stage.answer('/api/passes', { type: 'x', title: 'x', status: 422, detail: 'no', fields: wrong }, 422);
    expect(document.body.textContent).toContain('must have at least 8 characters');
    await stage.type('#pass-passphrase', 'a grey heron');
    await stage.press('Make the pass');
    const asked = await stage.answer('/api/passes', { id: 'p1', token: 'secret', until: '2026-10-14' });
    expect(asked.request.body).toEqual({
      ...{ visitor: 'Ann Lee', reason: 'is asked', recordIds: ['r1', 'r2'], placeId: null, until: null, openings: null },
      ...{ passphrase: 'a grey heron', copyOut: false },
    });
    expect(document.querySelector<HTMLInputElement>('kc-link-once input')!.value).toBe(`${location.origin}/pass#secret`);
    expect(document.body.textContent).toContain('in another way than the link');
  });

  it('is listed with what became of it, and revoked with a reason', async () => {
    const stage = await Stage.show(PassesPage, {}, { rights: ['link', 'grant'] });
    await stage.answer('/api/passes', { passes: [pass(), pass({ id: 'p2', visitor: 'Ben', state: 'revoked' })] });
    expect(stage.text()).toContain('1 of 3');
    expect(stage.host.querySelectorAll('button.link').length).toBe(1);
    await stage.press('revoke');
    await stage.type('#revoke-pass', 'not needed');
    await stage.press('Revoke the pass');
    const asked = await stage.answer('/api/passes/p1/revoke', {});
    expect(asked.request.body).toEqual({ reason: 'not needed' });
    await stage.answer('/api/passes', { passes: [] });
    expect(stage.text()).toContain('No passes');
  });
});

describe('what a visitor sees', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  afterEach(() => history.replaceState(null, '', location.pathname + location.search));
  const record = (id: string) => ({
    id,
    number: `A/${id}`,
    title: `Letter ${id}`,
    createdOn: null,
    fileName: 'a.pdf',
    mediaType: 'application/pdf',
    size: 1,
  });
  const inside = (ids: string[], total: number) => ({
    ...{ repository: 'Marrowick', visitor: 'Ann Lee', madeBy: 'Ines', until: '2026-10-14', copyOut: false },
    records: ids.map(record),
    total,
  });

  it('is behind a door, and after it pages as pictures', async () => {
    const before = location.pathname;
    location.hash = '#secret';
    const stage = await Stage.show(VisitorPage);
    await stage.answer('/api/pass', { repository: 'Marrowick', visitor: 'Ann Lee', until: '2026-10-14', passphrase: true });
    expect(stage.text()).toContain('Welcome, Ann Lee');
    expect(stage.button('Open').disabled).toBeTrue();
    await stage.type('#passphrase', 'a grey heron');
    await stage.press('Open');
    const asked = await stage.answer('/api/pass/open', {});
    expect(asked.request.body).toEqual({ token: 'secret', passphrase: 'a grey heron' });
    expect(location.hash).withContext('nobody reads the link over a shoulder').toBe('');
    await stage.answer('/api/pass/records', inside(['1'], 2));
    await stage.answer('/api/pass/records/1/pages', { pages: 2, width: 10, height: 20 });
    const images = [...stage.host.querySelectorAll('img')].map((img) => img.getAttribute('src'));
    expect(images).toEqual(['/api/pass/records/1/pages/1', '/api/pass/records/1/pages/2']);
    await stage.press('Show more');
    await stage.answer('/api/pass/records?from=1', inside(['2'], 2));
    expect(stage.host.querySelectorAll('nav li').length).toBe(2);
    // Revoked meanwhile.
    stage.host.querySelectorAll<HTMLButtonElement>('nav button')[1]!.click();
    await stage.answer(
      '/api/pass/records/2/pages',
      { type: 'x', title: 'x', status: 401, detail: 'This pass does not work any more.' },
      401,
    );
    expect(stage.text()).toContain('This pass does not work any more.');
    history.replaceState(null, '', before);
  });
});

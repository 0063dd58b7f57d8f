import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { HttpEventType } from '@angular/common/http';
import type { FixityState, LedgerEntry, LedgerFold, LedgerReport, LedgerState, TreeHead } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { ProofPage } from './proofPage';

const entry = (seq: number, changes: Partial<LedgerEntry> = {}): LedgerEntry => ({
  seq,
  at: '2026-09-14T08:00:00.000000Z',
  actor: 'Ines Okafor-Lind',
  from: '127.0.0.1',
  act: 'declared',
  words: changes.act ?? 'declared',
  subjectKind: 'record',
  subjectId: '00000000-0000-4000-8000-000000000009',
  subject: 'BER-02/2024/0001 Bollard test',
  before: null,
  after: { state: 'declared' },
  note: null,
  leaf: seq - 1,
  ...changes,
});
const head = (size: number, authority: string | null, witness: string | null = null): TreeHead => ({
  size,
  root: 'ab'.repeat(32),
  signedAt: '2026-09-14T08:00:01.000Z',
  keyId: 'k',
  signature: 's',
  timeStamp: authority ? { token: 't', at: '2026-09-14T08:00:02Z', authority } : null,
  witness: witness ? { note: 'n', at: '2026-09-14T08:00:02Z', name: witness } : null,
});
const state = (changes: Partial<LedgerState> = {}): LedgerState => ({
  heads: [head(120, 'Time Office', 'Sound Witness'), head(80, null)],
  unsealed: 0,
  unsealedSince: null,
  unsealedForSeconds: 0,
  witnessed: 120,
  stamped: 120,
  keyId: '0123456789abcdef',
  lastVerified: null,
  troubles: [],
  ...changes,
});

const checks = (changes: Partial<FixityState> = {}): FixityState => ({
  days: 90,
  megabytesPerSecond: 20,
  oldest: '2026-08-01T00:00:00Z',
  due: 0,
  damagedCount: 0,
  damaged: [],
  reconciled: null,
  keysToDestroy: 0,
  objects: null,
  ...changes,
});

describe('proof', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (
    entries: LedgerEntry[],
    next: number | null = null,
    shown = state(),
    contents = checks(),
    folds: LedgerFold[] = [],
  ): Promise<Stage<ProofPage>> => {
    const stage = await Stage.show(ProofPage, {});
    await stage.answer('/api/people', {
      people: [
        { id: 'p', name: 'Tomas Varga', kind: 'person' },
        { id: 'g', name: 'Keepers', kind: 'group' },
      ],
    });
    await stage.answer('/api/ledger/acts', { acts: ['declared', 'filed'].map((act) => ({ act, words: act })) });
    await stage.answer('/api/ledger/state', shown);
    await stage.answer('/api/fixity', contents);
    await stage.answer('/api/ledger?', { entries, folds, next });
    return stage;
  };

  it('folds what the program did between what people did, and opens it part by part', async () => {
    const fold: LedgerFold = {
      newest: 40,
      oldest: 12,
      acts: [
        { act: 'found signs', words: 'found signs', count: 27 },
        { act: 'ran the sweep', words: 'ran the sweep', count: 1 },
      ],
      more: false,
    };
    const stage = await show([entry(41), entry(11)], null, state(), checks(), [fold]);
    const rows = (): string[] => [...stage.host.querySelectorAll('tbody tr')].map((r) => r.textContent!.replace(/\s+/g, ' ').trim());
    expect(rows().length).toBe(3);
    expect(rows()[1]).toContain('28 by Key Cellar itself found signs × 27 · ran the sweep');
    await stage.press('28 by Key Cellar itself');
    const first = await stage.answer('/api/ledger?', { entries: [entry(40), entry(39)], folds: [], next: 39 });
    expect(first.request.urlWithParams).toContain('before=41&after=11');
    expect(rows().length).toBe(6);
    await stage.press('More of these');
    const rest = await stage.answer('/api/ledger?', { entries: [entry(12)], folds: [], next: null });
    expect(rest.request.urlWithParams).toContain('before=39&after=11');
    expect(rows().length).toBe(6);
    await stage.press('28 by Key Cellar itself');
    expect(rows().length).toBe(3);
  });

  it('says how far it is sealed, cosigned, stamped and verified, and by whom', async () => {
    const stage = await show([entry(1)]);
    const cells = [...stage.host.querySelectorAll('dl > div')].map((cell) => cell.textContent!.replace(/\s+/g, ' ').trim());
    expect(cells).toEqual([
      'Sealed120head signed 14 Sep 2026, 08:00',
      'Cosigned by a witness120Sound Witness, 14 Sep 2026, 08:00',
      'Time-stamped120Time Office, 14 Sep 2026, 08:00',
      'Contents checkedsince 1 Aug 2026each within 90 days',
      'Verified–never',
    ]);
  });

  it('marks what is behind, and says what is in the way', async () => {
    const stage = await show(
      [entry(1)],
      null,
      state({
        unsealed: 3,
        unsealedSince: '2026-09-14T09:00:00Z',
        witnessed: 80,
        lastVerified: { at: '2026-09-13T09:00:00Z', by: 'Mirela', ok: false, size: 90 },
        troubles: [{ what: 'witness', since: '2026-09-14T09:00:00Z', sentence: 'The witness saw 200 entries; here are 120.', alarm: true }],
      }),
    );
    expect([...stage.host.querySelectorAll('dl > div')].map((cell) => cell.classList.contains('behind'))).toEqual([
      false,
      true,
      false,
      false,
      true,
    ]);
    expect(stage.text()).toContain('3 wait since');
    expect(stage.text()).toContain('not as sealed; Mirela');
    expect(stage.host.querySelector('.trouble.alarm')!.textContent).toContain('The witness saw 200 entries');
  });

  it('names what is damaged, and what has it', async () => {
    const holder = { kind: 'record' as const, id: '00000000-0000-4000-8000-000000000009', name: 'BER-02/2024/0001 Bollard test' };
    const damaged = [{ contentId: 'c', sha256: 'cd'.repeat(32), size: 2048, since: '2026-09-14T08:00:00Z', holders: [holder] }];
    const stage = await show([entry(1)], null, state(), checks({ damagedCount: 3, damaged, due: 10_000 }));
    const cell = stage.host.querySelectorAll('dl > div')[3]!;
    expect(cell.classList).toContain('behind');
    expect(cell.textContent).toContain('3 damaged');
    expect(cell.textContent).toContain('10,000 or more due now');
    const panel = stage.host.querySelector('kc-damaged')!;
    expect(panel.querySelector('a')!.getAttribute('href')).toBe(`/records/${holder.id}`);
    expect(panel.textContent).toContain('and 2 more');
  });

  for (const [says, objects] of [
    ['second copies, locked', { contentsIn: 'database', withoutCopy: 0, withoutLock: 0, toRemove: 3, behind: false }],
    ['12 without a second copy yet', { contentsIn: 'database', withoutCopy: 12, withoutLock: 5, toRemove: 0, behind: true }],
    ['1 not locked yet', { contentsIn: 'objects', withoutCopy: 0, withoutLock: 1, toRemove: 0, behind: false }],
    ['in the object store, locked', { contentsIn: 'objects', withoutCopy: 0, withoutLock: 0, toRemove: 0, behind: false }],
  ] as const) {
    it(`says of the object store: ${says}`, async () => {
      const stage = await show([entry(1)], null, state(), checks({ objects }));
      const cell = stage.host.querySelectorAll('dl > div')[3]!;
      expect(cell.textContent).toContain(says);
      // What is only on its way alarms nobody.
      expect([cell.classList.contains('behind'), cell.querySelector('.wait') !== null]).toEqual([objects.behind, objects.behind]);
    });
  }

  it('says nothing of an object store where there is none', async () => {
    const stage = await show([entry(1)], null, state(), checks());
    expect(stage.host.querySelectorAll('dl > div')[3]!.textContent).not.toMatch(/copies|locked/);
  });

  it('says what does not belong together', async () => {
    const reconciled = { on: '2026-09-14', contentsOfNothing: 2, recordsWithout: 1 };
    const stage = await show([entry(1)], null, state(), checks({ reconciled }));
    expect(stage.text()).toContain('do not match: 2 contents without a record, 1 records without their content');
  });

  it('does not say so when all does', async () => {
    const reconciled = { on: '2026-09-14', contentsOfNothing: 0, recordsWithout: 0 };
    const stage = await show([entry(1)], null, state(), checks({ reconciled }));
    expect(stage.text()).not.toContain('belong together');
  });

  it('changes how contents are checked', async () => {
    const stage = await show([entry(1)]);
    await stage.press('How content is checked');
    const days = document.querySelector<HTMLInputElement>('#fixity-days')!;
    expect(days.value).toBe('90');
    days.value = '30';
    days.dispatchEvent(new Event('input'));
    await stage.settle();
    document.querySelector<HTMLFormElement>('kc-fixity-sheet form, .p-drawer form')!.requestSubmit();
    await stage.settle();
    const request = stage.http.expectOne((r) => r.url === '/api/fixity' && r.method === 'PUT');
    expect(request.request.body).toEqual({ days: 30, megabytesPerSecond: 20 });
    request.flush({});
    await stage.settle();
    await stage.answer('/api/ledger/state', state());
    await stage.answer('/api/fixity', checks({ days: 30 }));
    await stage.answer('/api/ledger?', { entries: [], folds: [], next: null });
    expect(stage.text()).toContain('each within 30 days');
  });

  it('lets a cosigned head be kept elsewhere', async () => {
    const stage = await show([entry(1)]);
    const links = [...stage.host.querySelectorAll('aside a')].map((a) => a.getAttribute('href'));
    expect(links).toEqual(['/api/ledger/heads/120']);
  });

  it('asks for what the address says, and links the same for the export', async () => {
    const stage = await Stage.show(ProofPage, { act: 'declared', from: '2026-01-01', subjectKind: 'record' });
    const request = stage.http.expectOne((r) => r.url === '/api/ledger');
    expect(request.request.urlWithParams).toContain('act=declared');
    expect(request.request.urlWithParams).toContain('from=2026-01-01');
    const href = stage.host.querySelector<HTMLAnchorElement>('a[download]')!.getAttribute('href')!;
    expect(new URLSearchParams(href.split('?')[1]).get('subjectKind')).toBe('record');
  });

  it('narrows through the address, and offers people, not groups', async () => {
    const stage = await show([entry(1)]);
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    await stage.choose('proof-actor', 'Tomas Varga');
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ actor: 'p' });
    await stage.choose('proof-act', 'filed');
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ act: 'filed' });
    expect((await stage.offered('proof-actor')).map((o) => o.textContent!.trim())).toEqual(['Tomas Varga']);
  });

  it('opens an entry for what changed, and shows earlier ones below the newer', async () => {
    const stage = await show([entry(9)], 9);
    await stage.press('declared');
    expect(stage.host.querySelector('pre')!.textContent).toContain('"state": "declared"');
    await stage.press('Show earlier entries');
    const request = stage.http.expectOne((r) => r.url === '/api/ledger');
    expect(request.request.urlWithParams).toContain('before=9');
    request.flush({ entries: [entry(8, { act: 'filed' })], folds: [], next: null });
    await stage.settle();
    const acts = [...stage.host.querySelectorAll('button.act')].map((b) => b.textContent!.trim());
    expect(acts).toEqual(['declared', 'filed']);
    expect(() => stage.button('Show earlier entries')).toThrow();
  });

  const report = (changes: Partial<LedgerReport> = {}): LedgerReport => ({
    ok: true,
    size: 120,
    sentence: 'All 120 sealed entries are as they were sealed, under every tree head.',
    findings: [],
    unchecked: [],
    checked: { entries: 120, heads: 2, cosigned: 1, stamped: 1, seen: 1 },
    ...changes,
  });
  const lines = async (stage: Stage<ProofPage>, ...said: object[]): Promise<void> => {
    const request = stage.http.expectOne((r) => r.url === '/api/ledger/verify');
    request.event({
      type: HttpEventType.DownloadProgress,
      loaded: 1,
      partialText: said.map((line) => `${JSON.stringify(line)}\n`).join(''),
    } as never);
    await stage.settle();
  };

  const answered = async (stage: Stage<ProofPage>, said: object): Promise<void> => {
    stage.http.expectOne((r) => r.url === '/api/ledger/verify').flush(`${JSON.stringify(said)}\n`);
    await stage.settle();
  };

  it('shows how far verifying is, and names what was changed behind the application’s back', async () => {
    const stage = await show([entry(1)]);
    await stage.press('Verify all');
    expect(stage.button('Verify all').disabled).toBeTrue();
    await lines(stage, { done: 40, total: 120 });
    expect(stage.text()).toContain('Verifying: 40 of 120 entries');
  });

  it('shows what was found, where, and what could not be looked at', async () => {
    const stage = await show([entry(1)]);
    await stage.press('Verify all');
    await answered(stage, {
      report: report({
        ok: false,
        sentence: 'One thing is not as sealed. The first: The entry was changed after it was sealed.',
        findings: [
          { what: 'entry', place: '16', seq: 17, sentence: 'The entry was changed after it was sealed.' },
          { what: 'witness', place: '120', sentence: 'The witness saw another tree of 120 entries: history was rewritten.' },
        ],
        unchecked: ['The newest tree head has no time stamp yet.'],
      }),
    });
    await stage.answer('/api/ledger/state', state());
    await stage.answer('/api/fixity', checks());
    await stage.answer('/api/ledger?', { entries: [], folds: [], next: null });
    const verdict = stage.host.querySelector('.verdict')!;
    expect(verdict.classList).toContain('bad');
    expect([...verdict.querySelectorAll('li')].map((li) => li.textContent!.replace(/\s+/g, ' ').trim())).toEqual([
      'entry 17, leaf 16 The entry was changed after it was sealed.',
      'The witness saw another tree of 120 entries: history was rewritten.',
    ]);
    expect(verdict.textContent).toContain('The newest tree head has no time stamp yet.');
    expect(() => stage.button('Stop')).toThrow();
  });

  it('says when it could not be verified, and stops when it is told to', async () => {
    const stage = await show([entry(1)]);
    await stage.press('Verify all');
    const request = stage.http.expectOne((r) => r.url === '/api/ledger/verify');
    await stage.press('Stop');
    expect(request.cancelled).toBeTrue();
    await stage.press('Verify all');
    const problem = { type: 'x', title: 'x', status: 429, detail: 'The ledger is being read for you already.' };
    await answered(stage, { problem });
    expect(stage.text()).toContain('The ledger is being read for you already.');
  });

  it('seals on demand and looks again', async () => {
    const stage = await show([entry(1)], null, state({ unsealed: 3, unsealedSince: '2026-09-14T09:00:00Z' }));
    expect(stage.text()).toContain('3 wait');
    await stage.press('Seal now');
    await stage.answer('/api/ledger/seal', { size: 123 });
    await stage.answer('/api/ledger/state', state({ heads: [head(123, null)] }));
    await stage.answer('/api/fixity', checks());
    await stage.answer('/api/ledger?', { entries: [entry(2)], folds: [], next: null });
    expect(stage.text()).toContain('Sealed123');
    expect(stage.text()).not.toContain('3 wait');
  });

  it('changes the signing key for a reason, for those who may', async () => {
    const stage = await show([entry(1)]);
    expect(stage.text()).toContain('0123456789abcdef');
    await stage.press('Change it');
    const form = document.querySelector<HTMLInputElement>('#key-why')!;
    form.value = 'a server was replaced';
    form.dispatchEvent(new Event('input'));
    await stage.settle();
    document.querySelector<HTMLFormElement>('form')!.requestSubmit();
    await stage.settle();
    const request = stage.http.expectOne((r) => r.url === '/api/ledger/key');
    expect(request.request.body).toEqual({ why: 'a server was replaced' });
    request.flush({ keyId: 'fedcba9876543210' });
    await stage.settle();
    await stage.answer('/api/ledger/seal', { size: 123 });
    await stage.answer('/api/ledger/state', state({ keyId: 'fedcba9876543210' }));
    await stage.answer('/api/fixity', checks());
    await stage.answer('/api/ledger?', { entries: [entry(2)], folds: [], next: null });
    expect(stage.text()).toContain('fedcba9876543210');
  });

  it('drops an answer that a newer question has overtaken', async () => {
    const stage = await show([entry(1)]);
    stage.fixture.componentRef.setInput('act', 'filed');
    await stage.settle();
    const older = stage.http.expectOne((r) => r.urlWithParams.includes('act=filed'));
    stage.fixture.componentRef.setInput('act', 'declared');
    await stage.settle();
    const newer = stage.http.expectOne((r) => r.urlWithParams.includes('act=declared'));
    expect(older.cancelled).toBeTrue();
    newer.flush({ entries: [entry(5)], folds: [], next: null });
    await stage.settle();
    expect([...stage.host.querySelectorAll('button.act')].map((b) => b.textContent!.trim())).toEqual(['declared']);
  });
});

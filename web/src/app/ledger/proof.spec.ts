import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import type { LedgerEntry } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { ProofPage } from './proofPage';

const entry = (seq: number, changes: Partial<LedgerEntry> = {}): LedgerEntry => ({
  seq,
  at: '2026-09-14T08:00:00.000000Z',
  actor: 'Ines Okafor-Lind',
  from: '127.0.0.1',
  act: 'declared',
  subjectKind: 'record',
  subjectId: '00000000-0000-4000-8000-000000000009',
  subject: 'BER-02/2024/0001 Bollard test',
  before: null,
  after: { state: 'declared' },
  note: null,
  leaf: seq - 1,
  ...changes,
});
const head = (size: number, authority: string | null) => ({
  size,
  root: 'ab'.repeat(32),
  signedAt: '2026-09-14T08:00:01.000Z',
  keyId: 'k',
  signature: 's',
  timeStamp: authority ? { token: 't', at: '2026-09-14T08:00:02Z', authority } : null,
});

describe('proof', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (entries: LedgerEntry[], next: number | null = null, inputs = {}): Promise<Stage<ProofPage>> => {
    const stage = await Stage.show(ProofPage, inputs);
    await stage.answer('/api/people', {
      people: [
        { id: 'p', name: 'Tomas Varga', kind: 'person' },
        { id: 'g', name: 'Keepers', kind: 'group' },
      ],
    });
    await stage.answer('/api/ledger/acts', { acts: ['declared', 'filed'] });
    await stage.answer('/api/ledger/heads', { heads: [head(120, 'Time Office'), head(80, null)], unsealed: 3 });
    await stage.answer('/api/ledger?', { entries, next });
    return stage;
  };

  it('says how much is sealed, what waits, and who stamped it', async () => {
    const text = (await show([entry(1)])).text();
    expect(text).toContain('120 entries are sealed');
    expect(text).toContain('3 more wait for the next seal.');
    expect(text.match(/stamped by Time Office/g)!.length).toBe(1);
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
    request.flush({ entries: [entry(8, { act: 'filed' })], next: null });
    await stage.settle();
    const acts = [...stage.host.querySelectorAll('button.act')].map((b) => b.textContent!.trim());
    expect(acts).toEqual(['declared', 'filed']);
    expect(() => stage.button('Show earlier entries')).toThrow();
  });

  it('names what was changed behind the application’s back', async () => {
    const stage = await show([entry(1)]);
    await stage.press('Verify all');
    expect(stage.button('Verifying …').disabled).toBeTrue();
    await stage.answer('/api/ledger/verify', {
      ok: false,
      size: 120,
      sentence: '1 of 120 sealed entries are not as they were sealed.',
      broken: [{ seq: 17, leaf: 16, sentence: 'The entry was changed after it was sealed.' }],
    });
    const verdict = stage.host.querySelector('.verdict')!;
    expect(verdict.classList).toContain('bad');
    expect(verdict.textContent).toContain('Entry 17 (leaf 16)');
  });

  it('seals on demand and looks again', async () => {
    const stage = await show([entry(1)]);
    await stage.press('Seal now');
    await stage.answer('/api/ledger/seal', { size: 123 });
    await stage.answer('/api/ledger/heads', { heads: [head(123, null)], unsealed: 0 });
    await stage.answer('/api/ledger?', { entries: [entry(2)], next: null });
    expect(stage.text()).toContain('123 entries are sealed');
    expect(stage.text()).not.toContain('more wait');
  });

  it('drops an answer that a newer question has overtaken', async () => {
    const stage = await show([entry(1)]);
    stage.fixture.componentRef.setInput('act', 'filed');
    await stage.settle();
    const older = stage.http.expectOne((r) => r.urlWithParams.includes('act=filed'));
    stage.fixture.componentRef.setInput('act', 'declared');
    await stage.settle();
    const newer = stage.http.expectOne((r) => r.urlWithParams.includes('act=declared'));
    newer.flush({ entries: [entry(5)], next: null });
    older.flush({ entries: [entry(4, { act: 'filed' })], next: null });
    await stage.settle();
    expect([...stage.host.querySelectorAll('button.act')].map((b) => b.textContent!.trim())).toEqual(['declared']);
  });
});

import { TestBed } from '@angular/core/testing';
import type { Dossier } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { DossierPage, lifeOfDossier } from './dossierPage';
import { lifeOf } from './life';

const dossier = {
  id: 'r',
  number: 'PIL-03/2019/0047',
  title: 'Pilot’s statement',
  medium: 'electronic',
  recordType: 'statement',
  placeId: 'p',
  placeCode: 'PIL-03',
  state: 'working',
  createdOn: '2019-05-08',
  filedOn: '2019-05-20',
  declaredOn: null,
  outcome: 'dated',
  clockStart: '2020-01-01',
  dueOn: '2030-01-01',
  action: 'destroy',
  docket: 'none',
  held: 0,
  heldSince: null,
  gaps: 1,
  size: 5,
  mediaType: 'text/plain',
  disposedOn: null,
  revision: 3,
  path: [{ id: 'p', kind: 'series', code: 'PIL-03', title: 'Statements' }],
  facts: { vessel: 'Ottoline' },
  factNames: {},
  typeVersion: 1,
  earlierFacts: [],
  type: {
    code: 'statement',
    title: 'Statement',
    version: 1,
    retired: false,
    facts: [
      { code: 'vessel', title: 'Vessel', kind: 'text', required: true },
      { code: 'pilot', title: 'Pilot', kind: 'text', required: true },
    ],
  },
  gapList: ['Pilot'],
  jurisdictions: [],
  detected: [],
  receivedOn: '2019-05-20',
  modifiedOn: '2019-05-20',
  owner: null,
  depositedBy: { id: 'x', name: 'Lune Abara' },
  container: null,
  versions: [
    {
      no: 1,
      fileName: 'a.txt',
      mediaType: 'text/plain',
      size: 5,
      sha256: 'ab',
      madeBy: 'Lune Abara',
      madeAt: '2019-05-20T10:00:00Z',
      note: '',
    },
  ],
  holds: [],
  frozenParts: [],
  frozenByHold: false,
  why: {
    outcome: 'dated',
    summary: 'Kept until 31 Dec 2029, then destroyed.',
    dueOn: '2030-01-01',
    action: 'destroy',
    governing: null,
    clock: null,
    cutoff: null,
    restartedOn: null,
    vintage: 2019,
    steps: [{ kind: 'destroy', dueOn: '2030-01-01', doneOn: null, words: 'destroyed', repeat: null, approvals: 1, noticeDays: 14 }],
    override: null,
    yielded: [],
    holds: [],
    missing: [],
  },
  rights: ['discover', 'read', 'edit'],
  accessWhy: 'Editor on PIL.',
  certificate: null,
  transferredTo: null,
  deferral: null,
} as unknown as Dossier;

describe('the dossier', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (changes: Partial<Dossier> = {}): Promise<Stage<DossierPage>> => {
    const stage = await Stage.show(DossierPage, { id: 'r' });
    await stage.answer('/api/records/r', { ...dossier, ...changes });
    await stage.answer('/api/ledger?', { entries: [], folds: [], next: null });
    // The preview asks once the record is drawn.
    for (let i = 0; i < 2; i++) {
      for (const request of stage.http.match((r) => r.url.includes('/preview'))) request.flush('hello');
      await stage.settle();
    }
    return stage;
  };

  it('of a record that is not there has a heading of its own, and asks for nothing more', async () => {
    const stage = await Stage.show(DossierPage, { id: 'r' });
    await stage.refuse('/api/records/r', 'This record does not exist here, or you may not see it.', undefined, 404);
    expect(stage.host.querySelectorAll('h1').length).toBe(1);
    expect(stage.text()).toContain('This record does not exist here, or you may not see it.');
    stage.http.expectNone((r) => r.url.includes('/api/ledger'));
  });

  it('shows number, state, life, content and why', async () => {
    const stage = await show({ rights: ['discover', 'read', 'copyOut'] });
    expect(stage.text()).toContain('PIL-03/2019/0047');
    expect(stage.text()).toContain('Kept until 31 Dec 2029, then destroyed.');
    expect(stage.host.querySelector('pre')!.textContent).toBe('hello');
    expect(stage.host.querySelector('kc-lifeline svg')!.getAttribute('aria-label')).toContain('destroy 1 Jan 2030');
  });

  it('shows text as pictures to those who may not take a copy', async () => {
    const stage = await Stage.show(DossierPage, { id: 'r' });
    await stage.answer('/api/records/r', dossier);
    await stage.answer('/api/records/r/pages', { pages: 1, width: 595, height: 842 });
    expect(stage.host.querySelector('pre')).toBeNull();
    expect(stage.host.querySelector('kc-preview img')!.getAttribute('src')).toContain('/api/records/r/pages/1');
    stage.http.expectNone((r) => r.url.includes('/preview'));
  });

  it('saves facts at the revision it was opened at, and shows what is wrong beside the field', async () => {
    const stage = await show();
    await stage.press('Edit facts', stage.host);
    await stage.type('#fact-pilot', 'Jarek Lindqvist');
    await stage.press('Save facts');
    const request = stage.http.expectOne('/api/records/r/facts');
    expect(request.request.body).toEqual({
      revision: 3,
      title: 'Pilot’s statement',
      createdOn: '2019-05-08',
      facts: { vessel: 'Ottoline', pilot: 'Jarek Lindqvist' },
    });
    request.flush(
      {
        detail: 'Pilot must be text.',
        title: 'Wrong',
        status: 422,
        type: 't',
        fields: [{ pointer: '/facts/pilot', sentence: 'Pilot must be text.' }],
      },
      { status: 422, statusText: 'x' },
    );
    await stage.settle();
    expect(document.querySelector('kc-fact-fields .wrong')!.textContent).toBe('Pilot must be text.');
    expect(document.querySelector<HTMLInputElement>('#fact-pilot')!.value).toBe('Jarek Lindqvist');
  });

  const readOnly: [string, Partial<Dossier>, boolean][] = [
    ['working', {}, true],
    ['declared', { state: 'declared', declaredOn: '2019-11-22', frozenParts: ['content', 'facts', 'moving'] }, false],
    ['declared where facts stay free', { state: 'declared', declaredOn: '2019-11-22', frozenParts: ['content'] }, true],
    ['frozen by a hold', { frozenByHold: true, held: 1 }, false],
    ['disposed', { state: 'disposed', disposedOn: '2026-01-01', versions: [] }, false],
    ['of a reader', { rights: ['discover', 'read'] }, false],
  ];
  for (const [name, changes, editable] of readOnly) {
    it(`${name}: ${editable ? 'can' : 'cannot'} be edited`, async () => {
      const stage = await show(changes);
      const offered = [...stage.host.querySelectorAll('button')].some((b) => b.textContent!.trim() === 'Edit facts');
      expect(offered).toBe(editable);
      expect(stage.host.querySelector('a[download]')).toBeNull();
    });
  }

  it('gives a copy only to who may take one, and says where a physical item is', async () => {
    expect((await show({ rights: ['discover', 'read', 'copyOut'] })).host.querySelector('a[download]')).not.toBeNull();
    TestBed.resetTestingModule().configureTestingModule({ providers: testingProviders });
    const shelf = await show({
      medium: 'physical',
      versions: [],
      container: { id: 'c', code: 'S1-14', title: 'Box', location: 'Store 1, bay C' },
    });
    expect(shelf.text()).toContain('Store 1, bay C');
  });

  it('draws the same life in a list and on its page', () => {
    const d = {
      ...dossier,
      held: 1,
      heldSince: '2024-03-12',
      holds: [{ since: '2024-03-12', until: null, hold: { id: 'h', name: 'Ottoline', matter: 'M', because: 'listed' } }],
    } as Dossier;
    expect(lifeOf(d).holds[0]!.from).toBe(lifeOfDossier(d).holds[0]!.from);
    expect(lifeOf(d).steps).toEqual(lifeOfDossier(d).steps);
    expect(lifeOfDossier(d).holds[0]!.name).toBe('held: Ottoline');
    // Whoever may not know which hold it is reads that it is held.
    const quiet = { ...d, holds: [{ since: '2024-03-12', until: null, hold: null }] } as Dossier;
    expect(lifeOfDossier(quiet).holds).toEqual([{ name: 'held', from: '2024-03-12', until: null }]);
  });
});

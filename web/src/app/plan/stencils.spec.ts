import { TestBed } from '@angular/core/testing';
import type { StencilPage as Stencil } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { BroughtList } from './broughtList';
import { StencilPage } from './stencilPage';
import { newFolder, type StencilFolderBody } from './stencilsService';
import { StencilsPage } from './stencilsPage';

const folder = (key: string, more: Partial<StencilFolderBody> = {}): StencilFolderBody => ({
  ...newFolder(key.toUpperCase(), `Folder ${key}`),
  key,
  ...more,
});
const stencil: Stencil = {
  id: 's',
  subject: 'People',
  title: 'Staff file',
  note: 'One each.',
  version: 2,
  folders: 2,
  uses: 2,
  behind: 1,
  retiredOn: null,
  revision: 4,
  definition: { asks: ['person'], roles: [], root: folder('file', { code: 'P-{nn}', title: '{person}', inside: [folder('health')] }) },
  versions: [2, 1].map((version) => ({ version, madeBy: 'Ines', madeAt: '2026-08-29T09:00:00Z', folders: 2 })),
  made: [{ placeId: 'p', code: 'P-41', title: 'Maren Tully', inside: 'PEO-01', version: 1, records: 3 }],
};
const types = {
  types: [
    {
      code: 'paper',
      title: 'Paper',
      version: 1,
      retired: false,
      facts: [{ code: 'person', title: 'Person', kind: 'text', required: true }],
    },
  ],
};
const places = {
  places: [
    {
      id: 'series',
      kind: 'series',
      parentId: null,
      code: 'PEO-01',
      title: 'Personnel',
      closedOn: null,
      shut: null,
      retiredOn: null,
      rules: [],
      discover: true,
      deposit: true,
      counts: null,
    },
    {
      id: 'old',
      kind: 'folder',
      parentId: 'series',
      code: 'OLD',
      title: 'Old file',
      closedOn: null,
      shut: null,
      retiredOn: null,
      rules: [],
      discover: true,
      deposit: true,
      counts: null,
    },
  ],
};

describe('the shelf of stencils', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('stands by subject, with how often each was used and what waits', async () => {
    const stage = await Stage.show(StencilsPage);
    await stage.answer('/api/stencils', {
      stencils: [stencil, { ...stencil, id: 't', subject: 'Safety', title: 'Inquiry', uses: 0, behind: 0 }],
    });
    expect([...stage.host.querySelectorAll('h2')].map((h) => h.textContent)).toEqual(['People', 'Safety']);
    expect(stage.text()).toContain('used 2 times');
    expect(stage.text()).toContain('1 behind');
    expect(stage.text()).toContain('not used yet');
  });
  it('says what to do first when it is empty', async () => {
    const stage = await Stage.show(StencilsPage, {}, { rights: ['discover', 'edit'] });
    await stage.answer('/api/stencils', { stencils: [] });
    expect(stage.text()).toContain('The shelf is empty');
    expect(stage.text()).not.toContain('New stencil');
  });
});

describe('a stencil', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (inputs: object = { id: 's' }, who = {}): Promise<Stage<StencilPage>> => {
    const stage = await Stage.show(StencilPage, { ...inputs }, who);
    await stage.answer('/api/record-types', types);
    await stage.answer('/api/people', { people: [{ id: 'mirela', name: 'Mirela Stone', kind: 'person' }] });
    await stage.answer('/api/rules', { rules: [] });
    await stage.answer('/api/numberings', { numberings: [] });
    await stage.answer('/api/jurisdictions', { jurisdictions: [] });
    await stage.answer('/api/plan', places);
    if ('id' in inputs) await stage.answer('/api/stencils/s', stencil);
    return stage;
  };

  it('is changed folder by folder and kept as another version', async () => {
    const stage = await show();
    expect(stage.text()).toContain('one has an older version');
    await stage.press('Add a folder in Folder health');
    await stage.type('#folder-title', 'Letters of {boss}');
    expect(stage.text()).toContain('holds {boss}, which no use of the stencil says');
    await stage.press('Save as version 3');
    stage.http.expectNone((r) => r.method === 'PUT');
    await stage.type('#folder-title', 'Letters of {person}');
    await stage.press('add a grant');
    await stage.press('add a title');
    await stage.type('[aria-label="Ready title 1"]', 'Letter {nn}');
    await stage.press('Save as version 3');
    const { request } = stage.http.expectOne('/api/stencils/s');
    const body = request.body as { revision: number; definition: Stencil['definition'] };
    const added = body.definition.root.inside[0]!.inside[0]!;
    expect([body.revision, added.code, added.title, added.grants, added.readyTitles]).toEqual([
      4,
      '01',
      'Letters of {person}',
      [{ principalId: 'mirela', role: null, profile: 'reader', from: null, until: null }],
      [{ text: 'Letter {nn}', date: 'none', recordType: null }],
    ]);
  });

  it('has roles, to which its folders give access; one that is removed takes its access along', async () => {
    const stage = await show();
    await stage.press('add a role');
    await stage.type('[aria-label="Role 1"]', 'Case owner');
    await stage.press('add a grant');
    await stage.press('Save as version 3');
    const bodyOf = () => stage.http.expectOne('/api/stencils/s').request.body as { definition: Stencil['definition'] };
    const { roles, root } = bodyOf().definition;
    expect(roles.map((r) => r.title)).toEqual(['Case owner']);
    expect(root.grants).toEqual([{ principalId: null, role: roles[0]!.code, profile: 'reader', from: null, until: null }]);
    await stage.press('Remove role 1');
    // It is as it was: there is nothing to save.
    expect(() => stage.button('Save as version 3')).toThrow();
    expect(() => stage.button('Remove grant 1')).toThrow();
  });

  it('is copied', async () => {
    const copied = await show({ copy: 's' });
    await copied.answer('/api/stencils/s', stencil);
    expect(document.querySelector<HTMLInputElement>('#stencil-title')!.value).toBe('Copy of Staff file');
    await copied.press('Save the stencil');
    expect((copied.http.expectOne('/api/stencils').request.body as { title: string }).title).toBe('Copy of Staff file');
  });

  it('shows two of its versions side by side', async () => {
    const stage = await show();
    await stage.press('compare');
    await stage.answer('/api/stencils/s/compare?from=1&to=2', {
      differences: [{ code: 'HEALTH', title: 'Folder health', what: 'changed', parts: [{ what: 'note', before: 'none', after: 'New' }] }],
    });
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('notenone→becomesNew');
  });

  it('is used for many after a trial, and says what came of each', async () => {
    const stage = await show();
    await stage.press('Use it …');
    await stage.press('For many, from a table');
    await stage.choose('uses-place', 'PEO-01 Personnel');
    await stage.type('#uses-csv', 'person\nAda Quill\n');
    await stage.press('Try it');
    const read = stage.http.expectOne('/api/stencils/s/uses');
    expect(atob((read.request.body as { data: string }).data)).toBe('person\nAda Quill\n');
    read.flush({ uses: [{ code: '', title: '', facts: { person: 'Ada Quill' }, roles: {} }] });
    await stage.settle();
    const line = {
      id: 's',
      line: 1,
      name: 'P-43 Ada Quill',
      outcome: 'done',
      why: 'would be created, with 1 inside',
      code: 'P-43',
      title: 'Ada Quill',
      folders: ['HEALTH Folder health'],
      placeId: null,
    };
    const tried = await stage.answer('/api/stencils/s/apply', {
      results: [line, { ...line, line: 2, name: 'use 2', outcome: 'refused', why: 'Person is missing.' }],
    });
    expect((tried.request.body as { dryRun: boolean }).dryRun).toBeTrue();
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('1 would be created, 1 refused.');
    await stage.press('Create one folder');
    const made = stage.http.expectOne('/api/stencils/s/apply');
    expect((made.request.body as { dryRun: boolean }).dryRun).toBeFalse();
    made.flush({ results: [{ ...line, why: 'Made.', placeId: 'new' }] });
    await stage.settle();
    expect(stage.sheet.querySelector('a[href="/plan/new"]')).not.toBeNull();
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('1 created, 0 refused.');
  });

  it('forgets a trial when what was tried is changed', async () => {
    const stage = await show();
    await stage.press('Use it …');
    await stage.choose('uses-place', 'PEO-01 Personnel');
    await stage.type('#use-person', 'Ada Quill');
    await stage.press('Try it');
    await stage.answer('/api/stencils/s/apply', {
      results: [{ id: 's', line: 1, name: 'P-43', outcome: 'done', why: '', code: 'P-43', title: '', folders: [], placeId: null }],
    });
    expect(stage.button('Create one folder').disabled).toBeFalse();
    await stage.type('#use-title', 'Another');
    expect(stage.button('Create 0 folders').disabled).toBeTrue();
  });

  it('brings its changes only after they were seen', async () => {
    const stage = await show();
    await stage.press('Apply the changes …');
    const line = {
      placeId: 'p',
      name: 'P-41 Maren Tully',
      changes: [{ code: 'P-41', what: 'note', before: 'none', after: 'New' }],
      kept: ['P-41: title, changed here'],
      rules: [{ placeId: 'p', ruleId: 'r', set: true }],
      dates: { of: 3, looked: 3, earlier: 1, later: 0, first: 2, none: 0 },
      outcome: 'done',
      why: 'would be brought',
    };
    expect((await stage.answer('/api/stencils/s/bring', { results: [line] })).request.body).toEqual({ dryRun: true });
    expect(stage.sheet.textContent).toContain('P-41: title, changed here');
    await stage.press('Apply them');
    expect((await stage.answer('/api/stencils/s/bring', { results: [line] })).request.body).toEqual({ dryRun: false });
  });

  it('begins from a folder that is right as it is', async () => {
    const stage = await show({ from: 'p' });
    await stage.answer('/api/stencils/from-folder', {
      title: 'Maren Tully',
      definition: { asks: [], roles: [], root: folder('x', { inside: [folder('y')] }) },
    });
    expect(document.querySelector<HTMLInputElement>('#stencil-title')!.value).toBe('Maren Tully');
    expect(stage.host.querySelector('.wrong')).withContext('nothing was to be saved yet').toBeNull();
    await stage.press('Save the stencil');
    expect(stage.host.querySelector('.wrong')!.textContent).toBe('must not be empty');
    await stage.until(() => document.activeElement!.id === 'stencil-subject');
    stage.http.expectNone('/api/stencils');
    await stage.type('#stencil-subject', 'People');
    await stage.press('Save the stencil');
    expect((stage.http.expectOne('/api/stencils').request.body as { subject: string }).subject).toBe('People');
  });

  it('is only looked at by those who do not keep the repository', async () => {
    const stage = await show({ id: 's' }, { rights: ['discover', 'edit'] });
    expect(() => stage.button(/Add a folder in/)).toThrow();
    expect(stage.host.querySelector('fieldset')!.disabled).toBeTrue();
    expect(stage.button('Use it …').disabled).toBeFalse();
  });
});

describe('what was brought', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('counts what was refused apart', async () => {
    const line = {
      placeId: 'p',
      name: 'P-41',
      changes: [],
      kept: [],
      rules: [],
      dates: null,
      outcome: 'refused',
      why: 'You may not grant here.',
    };
    const stage = await Stage.show(BroughtList, { lines: [line, { ...line, placeId: 'q', outcome: 'done' }], done: true });
    expect(stage.text()).toContain('1 updated, 1 refused.');
    expect(stage.text()).toContain('You may not grant here.');
  });
});

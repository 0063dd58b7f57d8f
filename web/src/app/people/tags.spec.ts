import { TestBed } from '@angular/core/testing';
import type { TagLine, TagRef } from '@key-cellar/contract';
import { TagsSheet } from '../access/index';
import { Stage, testingProviders } from '../kit/testing';
import { TagPage } from './tagPage';
import { TagsPage } from './tagsPage';

const tag = (name: string, more: Partial<TagLine> = {}): TagLine => ({
  ...{ id: name, name, note: '', active: true, revision: 3, grants: 1, places: 1, records: 2 },
  ...more,
});
const known = { tags: [tag('Inquiry'), tag('Lawsuit'), tag('Over', { active: false })], mayMake: true };
const effect = { gains: ['Bo: read on 3 records'], loses: [], people: 1 };

describe('access tags', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('are listed with what they reach, and made by whoever may', async () => {
    const stage = await Stage.show(TagsPage);
    await stage.answer('/api/access/tags', { tags: [], mayMake: false });
    expect(stage.text()).toContain('No access tags yet');
    expect(stage.host.querySelector('p-button')).toBeNull();
    TestBed.resetTestingModule().configureTestingModule({ providers: testingProviders });
    const other = await Stage.show(TagsPage);
    await other.answer('/api/access/tags', known);
    const rows = [...other.host.querySelectorAll('tbody tr')].map((row) => row.textContent!.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toBe('Inquiry112');
    expect(rows[2]).toContain('not in use');
    await other.press('Make a tag');
    await other.type('#tag-name', 'inquiry');
    await other.press('Make a tag', other.sheet);
    const fields = [{ pointer: '/name', sentence: 'There is an access tag “inquiry” already.' }];
    await other.answer('/api/access/tags', { type: 'x', title: 'x', status: 422, detail: fields[0]!.sentence, fields }, 422);
    expect(other.sheet.textContent).toContain('There is an access tag “inquiry” already.');
  });

  const page = (more: object = {}) => ({
    ...{ tag: tag('Inquiry'), grants: [], mayChange: true },
    places: [{ id: 'p', kind: 'folder', code: 'Q-19', title: 'Grounding' }],
    records: ['a', 'b'].map((id) => ({ id, number: `N-${id}`, title: `Title ${id}`, mayGrant: id === 'a' })),
    ...more,
  });

  it('are changed with the effect first, and give nothing out of use', async () => {
    const stage = await Stage.show(TagPage, { id: 'Inquiry' });
    await stage.answer('/api/access/tags/Inquiry', page());
    expect(stage.text()).toContain('Nobody was given access by it yet.');
    expect(stage.text()).toContain('Q-19 Grounding');
    await stage.press('Change …');
    document.querySelector<HTMLInputElement>('input[name=active]')!.click();
    await stage.settle();
    await stage.press('See the effect', stage.sheet);
    const tried = await stage.answer('/api/access/tags/Inquiry', { revision: 4, access: { gains: [], loses: effect.gains, people: 1 } });
    expect(tried.request.body).toEqual({ name: 'Inquiry', note: '', active: false, revision: 3, dryRun: true });
    expect(stage.sheet.textContent).toContain('Bo: read on 3 records');
    await stage.press('Save', stage.sheet);
    const done = await stage.answer('/api/access/tags/Inquiry', { revision: 4, access: null });
    expect(done.request.body.dryRun).toBeFalse();
    await stage.answer('/api/access/tags/Inquiry', page({ tag: tag('Inquiry', { active: false, revision: 4 }) }));
    expect(stage.text()).toContain('not in use: it gives nothing');
    expect(stage.button('Give access').disabled).toBeTrue();
  });

  it('are taken off records from their own page', async () => {
    const stage = await Stage.show(TagPage, { id: 'Inquiry' });
    await stage.answer('/api/access/tags/Inquiry', page());
    const boxes = stage.host.querySelectorAll<HTMLInputElement>('input[type=checkbox]');
    expect([...boxes].map((box) => box.getAttribute('aria-label'))).toEqual(['N-a']);
    boxes[0]!.click();
    await stage.settle();
    await stage.press('Take it off one record …');
    await stage.answer('/api/access/tags', known);
    await stage.type('#tags-reason', 'not asked for');
    await stage.press('See the effect', stage.sheet);
    const results = [{ id: 'a', name: 'N-a', outcome: 'done', why: 'carries none' }];
    const taken = await stage.answer('/api/records/tags', { results, access: effect });
    expect(taken.request.body).toEqual({ recordIds: ['a'], put: [], take: ['Inquiry'], reason: 'not asked for', dryRun: true });
  });

  it('are put on a place as what it carries', async () => {
    const now: TagRef[] = [{ id: 'Over', name: 'Over', active: false }];
    const stage = await Stage.show(TagsSheet, { place: { id: 'p', revision: 4 }, name: 'Q-19', now, open: true });
    await stage.answer('/api/access/tags', known);
    expect(stage.sheet.textContent).toContain('Access tags of Q-19');
    await stage.type('#tags-reason', 'the board asked');
    expect(stage.button('See the effect', stage.sheet).disabled).withContext('nothing changed').toBeTrue();
    await stage.choose('tags-carried', 'Inquiry');
    await stage.press('See the effect', stage.sheet);
    const tried = await stage.answer('/api/places/p/tags', { revision: 5, access: effect });
    expect(tried.request.body).toEqual({ tagIds: ['Over', 'Inquiry'], revision: 4, reason: 'the board asked', dryRun: true });
    expect(stage.sheet.textContent).toContain('Bo: read on 3 records');
    await stage.press('Save', stage.sheet);
    await stage.answer('/api/places/p/tags', { revision: 5, access: null });
  });

  it('come on many records, and go', async () => {
    const many = await Stage.show(TagsSheet, { recordIds: ['a', 'b'], open: true });
    await many.answer('/api/access/tags', known);
    expect(many.sheet.textContent).toContain('Access tags of 2 records');
    expect((await many.offered('tags-put')).map((o) => o.textContent!.trim())).toEqual(['Inquiry', 'Lawsuit']);
    document.querySelectorAll<HTMLElement>('[role="option"]')[1]!.click();
    await many.type('#tags-reason', 'the court asked');
    await many.press('See the effect', many.sheet);
    const results = [
      { id: 'a', name: 'N-a', outcome: 'refused', why: 'more than you may do here' },
      { id: 'b', name: 'N-b', outcome: 'done', why: 'carries Lawsuit' },
    ];
    const asked = await many.answer('/api/records/tags', { results, access: effect });
    expect(asked.request.body).toEqual({ recordIds: ['a', 'b'], put: ['Lawsuit'], take: [], reason: 'the court asked', dryRun: true });
    expect(many.sheet.textContent).toContain('One record is left as it is: more than you may do here');
    await many.press('Save', many.sheet);
    await many.answer('/api/records/tags', { results, access: null });
    expect(many.sheet.textContent).toContain('carries Lawsuit');
  });

  it('are told of where there are none yet', async () => {
    const stage = await Stage.show(TagsSheet, { recordIds: ['a'], now: [], open: true });
    await stage.answer('/api/access/tags', { tags: [], mayMake: false });
    expect(stage.sheet.textContent).toContain('There are no access tags yet.');
  });
});

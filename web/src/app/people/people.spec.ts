import { TestBed } from '@angular/core/testing';
import type { GrantLine, GroupLine, PersonLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { PeoplePage } from './peoplePage';
import { PersonPage } from './personPage';
import { bodyOf, draftOf } from './personFields';
import { PlaceGrants } from './placeGrants';

const person = (name: string, more: Partial<PersonLine> = {}): PersonLine => ({
  id: name,
  name,
  login: name.toLowerCase(),
  email: null,
  clearance: { level: 0, caveats: [] },
  active: true,
  groups: [],
  secondFactor: false,
  providers: [],
  hasPassword: true,
  invitedUntil: null,
  lastSeen: null,
  revision: 1,
  ...more,
});
const group = (name: string, more: Partial<GroupLine> = {}): GroupLine => ({
  id: name,
  name,
  active: true,
  everyone: false,
  members: [],
  secondFactor: false,
  revision: 1,
  ...more,
});
const grant = (name: string, more: Partial<GrantLine> = {}): GrantLine => ({
  id: `g ${name}`,
  principal: { id: name, name, kind: 'person', active: true },
  place: { id: 'p', kind: 'series', code: 'A-01', title: 'Letters' },
  record: null,
  tag: null,
  profile: 'reader',
  as: 'Reader',
  from: null,
  until: null,
  reason: 'asks',
  madeBy: null,
  madeOn: '2026-09-14',
  stencil: null,
  ...more,
});

describe('people and groups', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('are looked after by a desk, which does not say when sessions end', async () => {
    for (const [rights, all] of [
      [['people'], false],
      [['setUp', 'people'], true],
    ] as const) {
      const stage = await Stage.show(PeoplePage, {}, { rights: [...rights] });
      await stage.answer('/api/setup/people', { people: [], groups: [] });
      expect(stage.button('Add a person').disabled).toBeFalse();
      expect(stage.text().includes('When sessions end')).toBe(all);
      TestBed.resetTestingModule().configureTestingModule({ providers: testingProviders });
    }
  });

  it('say who can sign in, and are narrowed by the beginnings of words', async () => {
    const stage = await Stage.show(PeoplePage);
    await stage.answer('/api/setup/people', {
      people: [
        person('Ada Moor', { lastSeen: '2026-09-14T08:00:00Z', groups: [{ id: 'g', name: 'Desk' }] }),
        person('Bo Hale', { hasPassword: false, invitedUntil: '2026-09-21T08:00:00Z' }),
        person('Cy Wick', { hasPassword: false }),
        person('Di Tarn', { active: false }),
      ],
      groups: [group('Desk', { members: [{ id: 'Ada Moor', name: 'Ada Moor', kind: 'person' }] })],
    });
    const rows = () => [...stage.host.querySelectorAll('section[aria-labelledby=people] tbody tr')].map((row) => row.textContent!.trim());
    expect(rows().length).toBe(4);
    expect(rows()[0]).toContain('Desk');
    expect(rows()[1]).toContain('invited until');
    expect(rows()[2]).toContain('has no password yet');
    expect(rows()[3]).toContain('let go');
    await stage.type('input[type=search]', 'hal');
    expect(rows().length).toBe(1);
    await stage.type('input[type=search]', 'ale');
    expect(stage.text()).toContain('Nobody of that name');
  });

  it('a group is saved with the revision that was looked at', async () => {
    const stage = await Stage.show(PeoplePage);
    const all = { people: [person('Ada Moor')], groups: [group('Desk', { revision: 4 })] };
    await stage.answer('/api/setup/people', all);
    await stage.press('Desk');
    await stage.type('#group-name', 'Front desk');
    await stage.press('Save', stage.sheet);
    const { request } = await stage.answer('/api/setup/groups/Desk', { revision: 5 });
    expect(request.body).toEqual({ name: 'Front desk', active: true, memberIds: [], secondFactor: false, revision: 4, dryRun: false });
  });

  it('a group is shut only after it was seen who loses what by that, and what was seen does not hold for anything else', async () => {
    const stage = await Stage.show(PeoplePage);
    await stage.answer('/api/setup/people', { people: [person('Ada Moor')], groups: [group('Desk', { revision: 4 })] });
    await stage.press('Desk');
    const box = stage.sheet.querySelector<HTMLInputElement>('input[name=active]')!;
    box.click();
    await stage.settle();
    await stage.press('See the effect', stage.sheet);
    const access = { gains: [], loses: ['Ada Moor: read on 3 records'], people: 1 };
    const tried = await stage.answer('/api/setup/groups/Desk', { revision: 5, access });
    expect(tried.request.body).toEqual(jasmine.objectContaining({ active: false, dryRun: true }));
    expect(stage.sheet.textContent).toContain('Ada Moor: read on 3 records');
    box.click();
    box.click();
    await stage.settle();
    expect(stage.sheet.textContent).not.toContain('Ada Moor: read on 3 records');
    await stage.press('See the effect', stage.sheet);
    await stage.answer('/api/setup/groups/Desk', { revision: 5, access });
    await stage.press('Save', stage.sheet);
    const done = await stage.answer('/api/setup/groups/Desk', { revision: 5, access: null });
    expect(done.request.body).toEqual(jasmine.objectContaining({ active: false, dryRun: false }));
  });

  it('a person moves only after it was seen what they gain and lose; a new name is saved at once', async () => {
    const stage = await Stage.show(PersonPage, { id: 'Ada' });
    const page = { ...person('Ada'), grants: [], sessions: [], owns: 0, custodianOf: 0 };
    await stage.answer('/api/setup/people/Ada', page);
    await stage.answer('/api/setup/people', { people: [person('Ada')], groups: [group('Desk')] });
    await stage.type('#person-name', 'Ada West');
    await stage.press('Save');
    const named = await stage.answer('/api/setup/people/Ada', { revision: 2, access: null });
    expect(named.request.body).toEqual(jasmine.objectContaining({ name: 'Ada West', dryRun: false }));
    await stage.answer('/api/setup/people/Ada', { ...page, name: 'Ada West' });
    await stage.type('#person-level', '2');
    await stage.press('See the effect');
    const tried = await stage.answer('/api/setup/people/Ada', {
      revision: 3,
      access: { gains: ['Ada West: discover on 9 records'], loses: [], people: 1 },
    });
    expect(tried.request.body).toEqual(jasmine.objectContaining({ clearance: { level: 2, caveats: [] }, dryRun: true }));
    expect(stage.text()).toContain('Ada West: discover on 9 records');
    await stage.press('Save');
    const moved = await stage.answer('/api/setup/people/Ada', { revision: 3, access: null });
    expect(moved.request.body).toEqual(jasmine.objectContaining({ clearance: { level: 2, caveats: [] }, dryRun: false }));
  });

  it('what is typed of a person goes out as it is meant', () => {
    const draft = {
      ...draftOf(person('Ada', { clearance: { level: 2, caveats: ['pay', 'inquiry'] } })),
      email: ' ',
      caveats: ' pay,, people ',
    };
    expect(bodyOf(draft)).toEqual({
      name: 'Ada',
      login: 'ada',
      email: null,
      clearance: { level: 2, caveats: ['pay', 'people'] },
      groupIds: [],
    });
  });

  it('letting somebody go asks for a reason, and offers what is theirs to somebody else', async () => {
    const stage = await Stage.show(PersonPage, { id: 'Ada' });
    const page = { ...person('Ada'), grants: [grant('Ada')], sessions: [], owns: 3, custodianOf: 1 };
    await stage.answer('/api/setup/people/Ada', page);
    await stage.answer('/api/setup/people', { people: [person('Ada'), person('Bo'), person('Cy', { active: false })], groups: [] });
    expect(stage.text().replace(/\s+/g, ' ')).toContain('Owner of 3 records; custodian in one open hold.');
    await stage.press('Let go …');
    expect(stage.button('Let go', stage.sheet).disabled).toBeTrue();
    expect(stage.sheet.textContent).not.toContain('their grant as well');
    await stage.choose('heir', 'Bo');
    expect(stage.sheet.textContent).toContain('and their grant as well');
    await stage.type('#leaving-reason', 'moves on');
    await stage.press('Let go', stage.sheet);
    const { request } = await stage.answer('/api/setup/people/Ada/let-go', { sessions: 1, records: 3, grants: 0 });
    expect(request.body).toEqual({ reason: 'moves on', heirId: 'Bo', grantsToo: false });
    await stage.answer('/api/setup/people/Ada', { ...page, active: false });
    expect(stage.text()).toContain('Sessions ended: 1; records handed over: 3; grants handed over: 0.');
  });

  it('pages from a place name their reader once somebody says why', async () => {
    const place = { id: 'p', code: 'A-01', title: 'Letters', standAlone: false, revision: 3, rights: ['grant'] } as never;
    const stage = await Stage.show(PlaceGrants, { place });
    const answer = (readerOnPages: object) =>
      stage.answer('/api/places/p/grants', { grants: [], tags: [], marking: { level: 0, caveats: [] }, readerOnPages, mayGrant: true });
    await answer({ here: false, by: 'A' });
    expect(stage.text()).toContain('bear the name of whoever reads them, as A says');
    await stage.press('name the reader on pages');
    expect(stage.button('Name the reader on pages', stage.sheet).disabled).toBeTrue();
    await stage.type('#reader-reason', 'Screens are photographed');
    await stage.press('Name the reader on pages', stage.sheet);
    const sent = await stage.answer('/api/places/p/reader-on-pages', { revision: 4 });
    expect(sent.request.body).toEqual({ revision: 3, readerOnPages: true, reason: 'Screens are photographed' });
    await answer({ here: true, by: 'A-01' });
    expect(stage.text()).toContain('Pages shown from here bear the name of whoever reads them.');
    expect(stage.text()).toContain('name nobody on pages');
  });

  it('access is given only after its effect was seen, and what was seen does not hold for anything else', async () => {
    const place = { id: 'p', code: 'A-01', title: 'Letters', standAlone: false, rights: ['grant'] } as never;
    const stage = await Stage.show(PlaceGrants, { place });
    await stage.answer('/api/places/p/grants', {
      grants: [
        grant('Keepers', { place: { id: 'root', kind: 'repository', code: 'ALL', title: 'All' } }),
        grant('Ada', { until: '2026-12-31' }),
        grant('Cy', {
          place: { id: 'root', kind: 'repository', code: 'ALL', title: 'All' },
          tag: { id: 't', name: 'Inquiry', active: false },
        }),
      ],
      tags: [{ id: 't', name: 'Inquiry', active: false }],
      marking: { level: 2, caveats: ['people'] },
      readerOnPages: { here: false, by: null },
      mayGrant: true,
    });
    expect(stage.text()).toContain('level 2 · people');
    expect(stage.text().replace(/\s+/g, ' ')).toContain('Access tagsInquirynot in use');
    await stage.answer('/api/profiles', {
      profiles: [
        { code: 'reader', title: 'Reader', active: true },
        { code: 'editor', title: 'Editor', active: true },
        { code: 'old', title: 'Out of use', active: false },
      ],
    });
    await stage.answer('/api/people', { people: [{ id: 'b', name: 'Bo', kind: 'person' }] });
    const rows = [...stage.host.querySelectorAll('tbody tr')].map((row) => row.textContent!.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toContain('ALL');
    expect(rows[0]).not.toContain('change');
    expect(rows[1]).toContain('until 31 Dec 2026');
    expect([rows[2]!.includes('tag Inquiry'), rows[2]!.includes('change')]).toEqual([true, false]);
    await stage.press('give access');
    await stage.choose('grant-who', 'Bo');
    await stage.type('#grant-reason', 'asks for it');
    await stage.press('See the effect', stage.sheet);
    const effect = { gains: ['Bo: read on 3 records and one place'], loses: [], people: 1 };
    const tried = await stage.answer('/api/places/p/grants', { id: 'x', access: effect });
    expect(tried.request.body).toEqual({
      principalId: 'b',
      profile: 'reader',
      from: null,
      until: null,
      reason: 'asks for it',
      dryRun: true,
    });
    expect(stage.sheet.textContent).toContain('Bo: read on 3 records');
    await stage.choose('grant-profile', 'Editor');
    expect(stage.sheet.textContent).not.toContain('Bo: read on 3 records');
    await stage.press('See the effect', stage.sheet);
    await stage.answer('/api/places/p/grants', { id: 'x', access: effect });
    await stage.press('Give access', stage.sheet);
    const given = await stage.answer('/api/places/p/grants', { id: 'x', access: null });
    expect([given.request.body.profile, given.request.body.dryRun]).toEqual(['editor', false]);
  });
});

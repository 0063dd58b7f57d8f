import { TestBed } from '@angular/core/testing';
import type { FactDefinition } from '@key-cellar/core/records';
import { Stage, testingProviders } from '../kit/testing';
import { ActOnMany } from './actOnMany';
import { FactFields, type FactValues } from './factFields';
import { Preview, type Shown } from './preview';

const id = (n: number): string => `00000000-0000-4000-8000-00000000000${n}`;

describe('acts on marked records', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (inputs = {}, who = {}): Promise<Stage<ActOnMany>> => {
    const stage = await Stage.show(ActOnMany, { ids: new Set([id(1), id(2)]), ...inputs }, who);
    for (const r of stage.http.match('/api/matters')) r.flush({ matters: [] });
    for (const r of stage.http.match('/api/people')) r.flush({ people: [] });
    await stage.settle();
    return stage;
  };

  it('are offered when something is marked, and to whom they belong', async () => {
    expect((await show({ ids: new Set() })).host.querySelector('.bar')).toBeNull();
    TestBed.resetTestingModule().configureTestingModule({ providers: testingProviders });
    const stage = await show({}, { rights: ['discover', 'declare'] });
    expect(stage.text()).toContain('2 marked');
    expect(() => stage.button('Declare', stage.host)).not.toThrow();
    for (const name of ['Revoke declaration', 'Hold'])
      expect(() => stage.button(name, stage.host))
        .withContext(name)
        .toThrow();
  });

  it('say their effect first, then what came of each, refused ones first', async () => {
    const stage = await show();
    const acted = jasmine.createSpy('acted');
    stage.fixture.componentInstance.acted.subscribe(acted);
    await stage.press('Declare', stage.host);
    expect(stage.sheet.textContent).toContain('2 records can no longer be changed, renamed, moved to another series or deleted by anybody');
    await stage.press('Declare 2 records');
    const request = await stage.answer('/api/records/declare', {
      results: [
        { id: id(1), name: 'BER-02/2024/0001', outcome: 'done', why: 'Declared.' },
        { id: id(2), name: 'BER-02/2024/0002', outcome: 'refused', why: 'This record is already declared.' },
      ],
    });
    expect(request.request.body).toEqual({ ids: [id(1), id(2)] });
    expect(acted).toHaveBeenCalled();
    const text = stage.sheet.textContent!;
    expect(text.indexOf('already declared')).toBeLessThan(text.indexOf('Declared.'));
  });

  it('keep their list when the marks go while the results are read', async () => {
    const stage = await show();
    await stage.press('Declare', stage.host);
    stage.fixture.componentRef.setInput('ids', new Set());
    await stage.settle();
    await stage.press('Declare 2 records');
    expect(stage.http.expectOne('/api/records/declare').request.body.ids.length).toBe(2);
  });

  it('revoke declarations with a reason that stays when it is not enough', async () => {
    const stage = await show();
    await stage.press('Revoke declaration', stage.host);
    await stage.type('#revoke-reason', 'x');
    await stage.press('Revoke 2 declarations');
    await stage.refuse('/api/records/revoke', 'It needs a reason of at least three letters.', undefined, 422);
    expect(stage.sheet.textContent).toContain('needs a reason of at least three letters');
    expect(document.querySelector<HTMLTextAreaElement>('#revoke-reason')!.value).toBe('x');
  });

  it('on a record’s own page offer only what its state allows', async () => {
    const stage = await show({ ids: new Set([id(1)]), single: true, state: 'declared' });
    expect(() => stage.button('Declare', stage.host)).toThrow();
    expect(() => stage.button('Revoke declaration', stage.host)).not.toThrow();
    expect(() => stage.button('Unmark', stage.host)).toThrow();
  });
});

describe('the fields of facts', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const facts: FactDefinition[] = [
    { code: 'vessel', title: 'Vessel', kind: 'text', required: true },
    { code: 'tons', title: 'Tons', kind: 'whole', required: false },
    { code: 'signed', title: 'Signed on', kind: 'date', required: false },
    { code: 'shore', title: 'Shore', kind: 'choice', required: false, choices: ['north', 'south'] },
    { code: 'urgent', title: 'Urgent', kind: 'yesNo', required: false },
    { code: 'remark', title: 'Remark', kind: 'longText', required: false },
  ];
  const show = async (values: FactValues = {}, wrong = {}): Promise<{ stage: Stage<FactFields>; now: () => FactValues }> => {
    const stage = await Stage.show(FactFields, { facts, values, wrong });
    return { stage, now: () => stage.fixture.componentInstance.values() };
  };

  it('follow their kinds, and say which are required', async () => {
    const { stage } = await show();
    expect(document.querySelector<HTMLInputElement>('#fact-tons')!.type).toBe('number');
    expect(document.querySelector('kc-date-field #fact-signed')).not.toBeNull();
    expect(document.querySelector<HTMLInputElement>('#fact-urgent')!.type).toBe('checkbox');
    expect(document.querySelector('#fact-remark')!.tagName).toBe('TEXTAREA');
    expect(stage.text().match(/\(required\)/g)!.length).toBe(1);
  });

  it('give numbers as numbers, choices as they are called, and leave empty ones out', async () => {
    const { stage, now } = await show({ vessel: 'Ottoline' });
    await stage.type('#fact-tons', '40');
    await stage.choose('fact-shore', 'south');
    document.querySelector<HTMLInputElement>('#fact-urgent')!.click();
    await stage.settle();
    expect(now()).toEqual({ vessel: 'Ottoline', tons: 40, shore: 'south', urgent: true });
    await stage.type('#fact-vessel', '');
    await stage.type('#fact-tons', '');
    expect(now()).toEqual({ shore: 'south', urgent: true });
  });

  it('show what is wrong by the fact that it is about', async () => {
    const { stage } = await show({ tons: 1.5 }, { tons: 'Tons must be a whole number.' });
    const field = document.querySelector('#fact-tons')!.closest('.field')!;
    expect(field.textContent).toContain('Tons must be a whole number.');
    expect(stage.host.querySelectorAll('.wrong').length).toBe(1);
  });
});

describe('content on screen', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const version = (mediaType: string, changes: Partial<Shown> = {}): Shown => ({
    kind: 'record',
    id: id(1),
    version: 2,
    fileName: 'a file',
    mediaType,
    size: 1000,
    asText: true,
    ...changes,
  });
  const show = (of: Shown): Promise<Stage<Preview>> => Stage.show(Preview, { of });

  it('is a picture for each page, with its place kept before it is drawn', async () => {
    const stage = await show(version('application/pdf'));
    await stage.answer(`/api/records/${id(1)}/pages`, { pages: 3, width: 300, height: 400 });
    const pages = [...stage.host.querySelectorAll('img')];
    expect(pages.map((p) => p.getAttribute('src'))).toEqual([1, 2, 3].map((no) => `/api/records/${id(1)}/pages/${no}?version=2`));
    expect(pages[1]!.alt).toBe('Page 2 of 3 of a file');
    expect(pages[0]!.style.aspectRatio.replace(/\s/g, '')).toBe('300/400');
    expect(pages.every((p) => p.loading === 'lazy')).toBeTrue();
    pages[2]!.dispatchEvent(new Event('error'));
    await stage.settle();
    expect(stage.text()).toContain('Page 3 could not be shown.');
  });

  it('of a very long document stops, and says where', async () => {
    const stage = await show(version('image/tiff'));
    await stage.answer(`/api/records/${id(1)}/pages`, { pages: 5000, width: 300, height: 400 });
    expect(stage.host.querySelectorAll('img').length).toBe(200);
    expect(stage.text()).toContain('Pages 1 to 200 of 5000.');
  });

  it('is its text, never its markup', async () => {
    const stage = await show(version('text/html'));
    stage.http.expectOne(`/api/records/${id(1)}/preview?version=2`).flush('<h1>Title</h1><script>alert(1)</script>');
    await stage.settle();
    expect(stage.host.querySelector('pre')!.textContent).toBe('<h1>Title</h1><script>alert(1)</script>');
    expect(stage.host.querySelector('h1, script')).toBeNull();
  });

  it('that is too long, or of no kind that can be shown, says so without asking for it', async () => {
    const long = await show(version('text/plain', { size: 3_000_000 }));
    expect(long.text()).toContain('This text is too long to show here.');
    long.fixture.componentRef.setInput('of', version('application/zip'));
    await long.settle();
    expect(long.text()).toContain('No preview for this type. application/zip is not shown here; ask someone with copy rights.');
    long.http.verify();
  });

  it('says why it is not there, and shows only the version that was asked for last', async () => {
    const stage = await show(version('application/pdf'));
    await stage.refuse(`/api/records/${id(1)}/pages`, 'This content cannot be shown as a picture; it may be damaged.', undefined, 422);
    expect(stage.text()).toContain('it may be damaged');
    stage.fixture.componentRef.setInput('of', version('application/pdf', { version: 1 }));
    await stage.settle();
    const first = stage.http.expectOne((r) => r.urlWithParams.includes('version=1'));
    stage.fixture.componentRef.setInput('of', version('text/plain', { version: 3 }));
    await stage.settle();
    expect(first.cancelled).toBeTrue();
    stage.http.expectOne(`/api/records/${id(1)}/preview?version=3`).flush('third');
    await stage.settle();
    expect(stage.text()).toBe('third');
  });

  it('is looked at before it is filed as well', async () => {
    const stage = await show({
      kind: 'arrival',
      id: id(4),
      fileName: 'scan_0041.pdf',
      mediaType: 'application/pdf',
      size: 10,
      asText: true,
    });
    await stage.answer(`/api/arrivals/${id(4)}/pages`, { pages: 1, width: 300, height: 400 });
    expect(stage.host.querySelector('img')!.getAttribute('src')).toBe(`/api/arrivals/${id(4)}/pages/1`);
  });
});

import { TestBed } from '@angular/core/testing';
import type { Arrival } from '@key-cellar/contract';
import { me, Stage, testingProviders } from '../kit/testing';
import { ReceivingPage } from './receivingPage';

const id = (n: number): string => `00000000-0000-4000-8000-00000000000${n}`;
const arrival = (n: number, changes: Partial<Arrival> = {}): Arrival => ({
  id: id(n),
  fileName: `file ${n}.pdf`,
  changed: [],
  size: 2048,
  mediaType: 'application/pdf',
  sha256: 'ab',
  source: 'upload',
  arrivedAt: '2026-09-14T08:00:00Z',
  placeId: null,
  suggestedTitle: `file ${n}`,
  held: false,
  sameAs: [],
  ...changes,
});
const place = { parentId: null, closedOn: null, shut: null, rules: [], discover: true, deposit: true, counts: null };
const places = [
  { ...place, id: 's', kind: 'series', code: 'BER-02', title: 'Inspections' },
  { ...place, id: 'f', kind: 'folder', parentId: 's', code: 'B-11', title: 'Berth 11' },
  { ...place, id: 'closed', kind: 'folder', parentId: 's', code: 'B-01', title: 'Berth 1', closedOn: '2020-01-01', shut: 'closed' },
  { ...place, id: 'other', kind: 'series', code: 'PEO-01', title: 'Personnel', deposit: false },
  { ...place, id: 'fn', kind: 'function', code: 'BER', title: 'Berths' },
];
const types = [
  { code: 'inspection', title: 'Inspection report', facts: [{ code: 'berth', title: 'Berth', kind: 'text', required: true }] },
  { code: 'letter', title: 'Letter', facts: [] },
];
const explanation = {
  outcome: 'dated',
  summary: 'Kept until 31 Dec 2035, then destroyed.',
  governing: null,
  clock: null,
  cutoff: null,
  restartedOn: null,
  steps: [],
  vintage: 2026,
  yielded: [],
  holds: [],
  missing: [],
  dueOn: '2036-01-01',
  action: 'destroy',
};

describe('receiving', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (arrivals: Arrival[], inputs = {}): Promise<Stage<ReceivingPage>> => {
    const stage = await Stage.show(ReceivingPage, inputs);
    await stage.answer('/api/arrivals', { arrivals });
    await stage.answer('/api/plan', { places });
    await stage.answer('/api/containers', { containers: [{ id: 'box', code: 'S1-A1', title: 'Box', location: 'Store 1', items: 3 }] });
    await stage.answer('/api/record-types', { types });
    return stage;
  };

  it('says what to do first when nothing waits', async () => {
    const text = (await show([])).text();
    expect(text).toContain('Nothing waits to be filed.');
    expect(text).toContain('Drop files above, or describe an item that stays on its shelf.');
  });

  it('says what was changed about a name, and whose content it has', async () => {
    const stage = await show([
      arrival(1, { changed: ['the path was left out'] }),
      arrival(2, { sameAs: [{ kind: 'record', id: id(9), name: 'BER-02/2024/0001 Bollard test' }] }),
    ]);
    expect(stage.text()).toContain('2 things wait to be filed.');
    expect(stage.text()).toContain('1 have the same content as something else.');
    expect(stage.text()).toContain('the path was left out');
    expect(stage.host.querySelector(`a[href="/records/${id(9)}"]`)!.textContent).toContain('Bollard test');
  });

  it('offers only places where this person may file', async () => {
    const stage = await show([arrival(1)]);
    await stage.press('File file 1.pdf');
    const offered = await stage.offered('filing-place');
    expect(offered.map((o) => o.textContent!.trim())).toEqual(['BER-02 Inspections', 'BER-02 › B-11 Berth 11']);
  });

  it('shows the date and its gaps before filing, then files with what was typed', async () => {
    const stage = await show([arrival(1)]);
    await stage.press('File file 1.pdf');
    await stage.choose('filing-place', 'BER-02 Inspections');
    await stage.choose('filing-type', 'Inspection report');
    const preview = await stage.request('/api/arrivals/preview');
    expect(preview.request.body.filings[0]).toEqual(
      jasmine.objectContaining({ arrivalId: id(1), placeId: 's', recordType: 'inspection', createdOn: me.today, title: 'file 1' }),
    );
    preview.flush({ previews: [{ arrivalId: id(1), explanation, gaps: ['Berth'], problems: [] }] });
    await stage.settle();
    expect(stage.sheet.textContent).toContain('Will be filed with a gap: Berth.');
    expect(stage.sheet.textContent).toContain('Kept until 31 Dec 2035, then destroyed.');

    await stage.type('#filing-title', 'Bollard test, Berth 11');
    await stage.type('#fact-berth', 'Berth 11');
    await stage.press('File one record');
    const request = stage.http.expectOne('/api/arrivals/file');
    expect(request.request.body.filings).toEqual([
      {
        arrivalId: id(1),
        recordType: 'inspection',
        placeId: 's',
        createdOn: me.today,
        title: 'Bollard test, Berth 11',
        facts: { berth: 'Berth 11' },
      },
    ]);
    request.flush({
      results: [
        {
          arrivalId: id(1),
          name: 'Bollard test',
          outcome: 'done',
          why: 'Filed as BER-02/2026/0001.',
          recordId: id(5),
          number: 'BER-02/2026/0001',
        },
      ],
    });
    await stage.settle();
    expect(stage.sheet.textContent).toContain('Filed as BER-02/2026/0001.');
  });

  it('says why no date can be shown, and shows it again once it can', async () => {
    const stage = await show([arrival(1)]);
    await stage.press('File file 1.pdf');
    await stage.choose('filing-place', 'BER-02 Inspections');
    await stage.choose('filing-type', 'Letter');
    await stage.refuse('/api/arrivals/preview', 'The document’s date is still to come.', undefined, 422);
    expect(stage.sheet.textContent).toContain('The document’s date is still to come.');
    await stage.type('#filing-title', 'Another title');
    await stage.answer('/api/arrivals/preview', { previews: [{ arrivalId: id(1), explanation, gaps: [], problems: [] }] });
    expect(stage.sheet.textContent).not.toContain('still to come');
  });

  it('files many with one place and type, oldest first, each under its own name', async () => {
    const stage = await show([arrival(3), arrival(2), arrival(1)]);
    stage.host.querySelector<HTMLInputElement>('input[aria-label="Mark all"]')!.click();
    await stage.settle();
    await stage.press('File 3');
    expect(stage.sheet.textContent).toContain('3 items get the same type, place, date and facts.');
    await stage.choose('filing-place', /Berth 11/);
    await stage.choose('filing-type', 'Letter');
    await stage.press('File 3 records');
    const request = stage.http.expectOne('/api/arrivals/file');
    expect(request.request.body.filings.map((f: { title: string }) => f.title)).toEqual(['file 1', 'file 2', 'file 3']);
    request.flush({
      results: [
        { arrivalId: id(1), name: 'file 1', outcome: 'done', why: 'Filed.', recordId: id(5), number: 'N' },
        { arrivalId: id(2), name: 'file 2', outcome: 'refused', why: 'The folder was closed.', recordId: null, number: null },
      ],
    });
    await stage.settle();
    expect(stage.sheet.textContent).toContain('1 refused');
    expect(stage.sheet.textContent!.indexOf('The folder was closed.')).toBeLessThan(stage.sheet.textContent!.indexOf('Filed.'));
  });

  it('keeps what was typed when filing is refused, and puts the sentence by its fact', async () => {
    const stage = await show([arrival(1)]);
    await stage.press('File file 1.pdf');
    await stage.choose('filing-place', 'BER-02 Inspections');
    await stage.choose('filing-type', 'Inspection report');
    await stage.type('#fact-berth', 'Berth 99');
    await stage.press('File one record');
    await stage.refuse(
      '/api/arrivals/file',
      'There is no Berth 99.',
      [{ pointer: '/facts/berth', sentence: 'There is no Berth 99.' }],
      422,
    );
    expect(document.querySelector<HTMLInputElement>('#fact-berth')!.value).toBe('Berth 99');
    expect(stage.sheet.textContent).toContain('There is no Berth 99.');
  });

  it('describes a physical item with its container', async () => {
    const stage = await show([]);
    await stage.press('Describe a physical item');
    await stage.type('#filing-title', 'Chart roll 7');
    await stage.choose('filing-place', 'BER-02 Inspections');
    await stage.choose('filing-type', 'Letter');
    expect(stage.button('Describe the item').disabled).toBeTrue();
    await stage.choose('filing-container', /S1-A1/);
    await stage.press('Describe the item');
    const request = stage.http.expectOne('/api/records/physical');
    expect(request.request.body).toEqual(jasmine.objectContaining({ title: 'Chart roll 7', containerId: 'box', placeId: 's' }));
    request.flush({ recordId: id(5), number: 'BER-02/2026/0009' });
    await stage.settle();
    expect(stage.sheet.textContent).toContain('Described as BER-02/2026/0009.');
  });

  it('opens for the place that one came from', async () => {
    const stage = await show([arrival(1)], { place: 'f' });
    await stage.press('File file 1.pdf');
    expect(document.getElementById('filing-place')!.textContent).toContain('BER-02 › B-11 Berth 11');
  });

  it('discards one, and says why it could not', async () => {
    const stage = await show([arrival(1)]);
    await stage.press('Discard file 1.pdf');
    await stage.refuse(`/api/arrivals/${id(1)}/discard`, 'Somebody filed this meanwhile.');
    expect(stage.text()).toContain('Somebody filed this meanwhile.');
  });
});

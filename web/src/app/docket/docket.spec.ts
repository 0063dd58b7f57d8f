import { TestBed } from '@angular/core/testing';
import type { BatchLine, BatchPage as Page, DueGroup } from '@key-cellar/contract';
import { me, Stage, testingProviders } from '../kit/testing';
import { BatchPage } from './batchPage';
import { DocketPage } from './docketPage';

const group: DueGroup = {
  key: 'series|rule|destroy|electronic',
  seriesId: 's',
  seriesCode: 'BER-02',
  seriesTitle: 'Mooring inspection reports',
  ruleCode: 'R-BER-3',
  action: 'destroy',
  medium: 'electronic',
  vintages: [2015, 2016],
  since: '2026-01-01',
  count: 25,
  held: 3,
  approvals: 2,
  approverGroups: [],
  noticeDays: 21,
  mayPropose: true,
};
const batch: BatchLine = {
  id: 'b',
  number: 'D-2026-011',
  action: 'destroy',
  what: '41 × Service invoices',
  state: 'notice',
  count: 41,
  held: 0,
  objections: 0,
  tasks: 0,
  note: 'waits for a decision',
  gates: [
    { name: 'proposed', state: 'passed', words: '2026-08-10' },
    { name: 'notice', state: 'passed', words: 'closed 31 Aug 2026' },
    { name: 'approved', state: 'current', words: '1 of 2' },
    { name: 'done', state: 'ahead', words: '–' },
  ],
  late: true,
  certificate: null,
  receipt: null,
  acts: ['approve', 'reject'],
};
const page: Page = {
  ...batch,
  revision: 1,
  proposedBy: 'Tomas Varga',
  approvalsNeeded: 2,
  approverGroups: [],
  noticeUntil: '2026-08-31',
  withdrawnReason: null,
  approvals: [],
  objectionList: [],
  notDue: 0,
  items: [
    {
      recordId: 'r1',
      number: 'FIN-02/2015/0001',
      title: 'Invoice',
      dueOn: '2026-01-01',
      held: 0,
      medium: 'electronic',
      container: null,
      outcome: 'open',
      reason: null,
    },
    {
      recordId: 'r2',
      number: 'FIN-02/2015/0002',
      title: 'Invoice',
      dueOn: '2026-01-01',
      held: 1,
      medium: 'electronic',
      container: null,
      outcome: 'open',
      reason: null,
    },
  ],
};

describe('the docket', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (inputs = {}, who = {}): Promise<Stage<DocketPage>> => {
    const stage = await Stage.show(DocketPage, inputs, who);
    await stage.answer('/api/docket/due', { groups: [group, { ...group, key: 't', action: 'transfer', mayPropose: false }] });
    await stage.answer('/api/batches', { batches: [batch] });
    return stage;
  };

  it('says how much is due and what is late', async () => {
    const text = (await show()).text();
    expect(text).toContain('50 records are due in 2 groups. One batch is on the way.');
    expect(text).toContain('One is late.');
    expect(text).toContain('of 2015 and 2016');
    expect(text).toContain('3 more held');
    expect(text).toContain('destroy, 2 approvals');
  });

  it('offers a batch only where there may be one, with the notice that the rule asks for', async () => {
    const stage = await show();
    expect([...stage.host.querySelectorAll('button')].filter((b) => b.textContent!.trim() === 'Propose batch').length).toBe(1);
    await stage.press('Propose batch of BER-02');
    await stage.settle();
    expect(document.querySelector<HTMLInputElement>('#notice-days')!.value).toBe('21');
    await stage.press('Propose and announce');
    const request = stage.http.expectOne('/api/batches');
    expect(request.request.body).toEqual({ groupKey: group.key, noticeDays: 21, announce: true });
    request.flush(
      { detail: 'The rule asks for at least 21 days of notice.', title: 'Wrong', status: 422, type: 't' },
      { status: 422, statusText: 'x' },
    );
    await stage.settle();
    expect(document.querySelector('.p-drawer')!.textContent).toContain('at least 21 days');
  });

  it('opens the sheet of the group that the address names', async () => {
    await show({ propose: group.key });
    expect(document.querySelector('.p-drawer')!.textContent).toContain('25 records');
  });

  it('runs the sweep for keepers only', async () => {
    const stage = await show();
    await stage.press('Run the sweep …');
    const record = { id: 'r', number: 'HAR-05/2025/0001', title: 'Daily state', detail: 'R-HAR-5, 2 of 3 versions' };
    await stage.answer('/api/docket/sweep', {
      lines: [
        { kind: 'stopped', records: 1, versions: 0, bytes: 0, first: [record] },
        { kind: 'trim', records: 120, versions: 240, bytes: 5_000_000, first: [record] },
      ],
    });
    const words = stage.sheet.textContent!.replace(/\s+/g, ' ');
    expect(words).toContain('120 lose their older versions : 240 versions, 5.0 MB');
    expect(words).toContain('and 119 more');
    expect(words.indexOf('lose their')).toBeLessThan(words.indexOf('cannot take'));
    await stage.press('Run it now');
    await stage.answer('/api/docket/sweep', { newlyDue: 7, steps: 0, jobId: null });
    expect(stage.text()).toContain('7 records have come due.');
    TestBed.resetTestingModule().configureTestingModule({ providers: testingProviders });
    const other = await show({}, { rights: ['discover', 'approve'] });
    expect(() => other.button('Run the sweep …', other.host)).toThrow();
  });
});

describe('a batch', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (changes: Partial<Page> = {}): Promise<Stage<BatchPage>> => {
    const stage = await Stage.show(BatchPage, { id: 'b' });
    await stage.answer('/api/batches/b', { ...page, ...changes });
    return stage;
  };

  it('shows the acts that this person may do now, and no others', async () => {
    const stage = await show();
    expect(() => stage.button('Approve', stage.host)).not.toThrow();
    expect(() => stage.button('Execute', stage.host)).toThrow();
    await stage.press('Approve', stage.host);
    await stage.press('Approve the batch');
    expect(stage.http.expectOne('/api/batches/b/approve').request.body).toEqual({ note: '' });
  });

  it('says the effect of executing: how many go, how many a hold keeps', async () => {
    const stage = await show({ acts: ['execute'], held: 1 });
    await stage.press('Execute', stage.host);
    const sheet = document.querySelector('.p-drawer')!.textContent!;
    expect(sheet).toContain('Destroy 1 records. Stubs remain; the content cannot be brought back.');
    expect(sheet).toContain('1 are held and stay.');
    expect(() => stage.button('Destroy one record')).not.toThrow();
  });

  it('keeps what was typed when an objection is refused', async () => {
    const stage = await show({ acts: ['object'] });
    await stage.press('Object to FIN-02/2015/0001');
    await stage.type('#batch-text', 'Still in dispute');
    await stage.press('Object', document.querySelector('.p-drawer')!);
    await stage.answer(
      '/api/batches/b/objections',
      { detail: 'The last day to object has passed.', title: 'Refused', status: 409, type: 't' },
      409,
    );
    expect(document.querySelector('.p-drawer')!.textContent).toContain('The last day to object has passed.');
    expect(document.querySelector<HTMLTextAreaElement>('#batch-text')!.value).toBe('Still in dispute');
  });

  it('says at once which records are no longer due', async () => {
    const reason = 'It is no longer due under the rule in force.';
    const stage = await show({ notDue: 1, items: [{ ...page.items[0]!, reason }] });
    expect(stage.text()).toContain('One record is no longer due under the rules in force and would stay.');
    expect(stage.text()).toContain(reason);
  });

  it('confirms by hand with date, method and witness', async () => {
    const items: Page['items'] = [{ ...page.items[0]!, outcome: 'task', medium: 'physical', container: 'S1-A1, Store 1' }];
    const stage = await show({ acts: ['confirm'], items, tasks: 1, state: 'executing' });
    await stage.press('Confirm by hand', stage.host);
    await stage.type('#confirm-method', 'shredded');
    await stage.type('#confirm-witness', 'K. Renner');
    await stage.press('Confirm 1 items');
    expect(stage.http.expectOne('/api/batches/b/confirm').request.body).toEqual({
      recordIds: ['r1'],
      on: me.today,
      method: 'shredded',
      witness: 'K. Renner',
    });
  });

  it('tells outcomes with their reasons, and gives the certificate', async () => {
    const stage = await show({
      state: 'done',
      acts: [],
      certificate: { id: 'c', number: 'C-2026-005' },
      items: [
        { ...page.items[0]!, outcome: 'disposed' },
        { ...page.items[1]!, outcome: 'blocked', reason: 'It is held.' },
      ],
    });
    expect(stage.text()).toContain('destroyed');
    expect(stage.text()).toContain('It is held.');
    expect(stage.host.querySelector('a[href="/api/certificates/c"]')!.textContent).toContain('C-2026-005');
  });

  const transfer: Partial<Page> = { action: 'transfer', what: '9 × Spoil ground returns, DRG-06' };
  const receipt = {
    archive: 'Tarrin Sound Archive',
    accession: 'TSA 2026/0001',
    receivedOn: '2026-06-09',
    bagSha256: 'ab'.repeat(32),
    files: 19,
  };

  it('of a transfer says what happens to the records, in its own words', async () => {
    const stage = await show({ ...transfer, acts: ['execute', 'approve'] });
    await stage.press('Execute', stage.host);
    expect(stage.sheet.textContent).toContain('only what its receipt covers is removed here');
    expect(() => stage.button('Transfer one record')).not.toThrow();
    expect(stage.sheet.textContent).not.toContain('Destroy');
    await stage.press('Approve', stage.host);
    expect(stage.sheet.textContent).toContain('can be transferred');
  });

  it('shows the archive’s receipt, and what was transferred', async () => {
    const stage = await show({ ...transfer, state: 'done', acts: [], receipt, items: [{ ...page.items[0]!, outcome: 'disposed' }] });
    expect(stage.text()).toContain('Tarrin Sound Archive received 19 files on 9 Jun 2026 under accession TSA 2026/0001.');
    expect(stage.text()).toContain('ab'.repeat(32));
    expect(stage.host.querySelector('tbody')!.textContent).toContain('transferred');
  });

  it('lets one record be put off, names it, and proposes a year', async () => {
    const stage = await show({ acts: ['withdraw'] });
    await stage.press('Defer FIN-02/2015/0001');
    expect(stage.sheet.textContent).toContain('FIN-02/2015/0001');
    expect(document.querySelector<HTMLInputElement>('#defer-until')!.value).toBe('14 Sep 2027');
    await stage.type('#defer-until', '2028-01-01');
    await stage.type('#batch-text', 'The court has not decided');
    await stage.press('Defer the record');
    expect(stage.http.expectOne('/api/batches/b/deferrals').request.body).toEqual({
      recordId: 'r1',
      until: '2028-01-01',
      reason: 'The court has not decided',
    });
  });

  it('answers an objection by putting the record off until a day, or by letting it go on', async () => {
    const objection = { id: 'o', recordId: 'r1', record: 'FIN-02/2015/0001 Invoice', by: 'Kofi', reason: 'in court', answer: null };
    const stage = await show({ acts: ['withdraw'], objectionList: [objection], objections: 1 });
    await stage.press('Answer');
    await stage.type('#batch-text', 'It stays until then');
    await stage.press('Defer the record');
    expect((await stage.answer('/api/objections/o/answer', {})).request.body).toEqual({
      keep: true,
      answer: 'It stays until then',
      until: '2027-09-14',
    });
    await stage.answer('/api/batches/b', { ...page, acts: ['withdraw'], objectionList: [objection], objections: 1 });
    await stage.press('Answer');
    stage.sheet.querySelectorAll<HTMLInputElement>('input[type="radio"]')[1]!.click();
    await stage.settle();
    expect(document.querySelector('#defer-until')).toBeNull();
    await stage.type('#batch-text', 'It was paid in March');
    await stage.press('Continue to next step');
    expect(stage.http.expectOne('/api/objections/o/answer').request.body).toEqual({ keep: false, answer: 'It was paid in March' });
  });
});

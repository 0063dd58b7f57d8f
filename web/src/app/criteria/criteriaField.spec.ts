import { TestBed } from '@angular/core/testing';
import type { AskedCriteria, Vocabulary } from '@key-cellar/core/criteria';
import { Stage, testingProviders } from '../kit/testing';
import { CriteriaField } from './criteriaField';

const vocabulary: Vocabulary = {
  recordTypes: [
    { id: 'lease', name: 'Lease' },
    { id: 'log', name: 'Log' },
  ],
  facts: [
    { code: 'vessel', title: 'Vessel', kind: 'text' },
    { code: 'tons', title: 'Gross tons', kind: 'whole' },
    { code: 'expires', title: 'Expires', kind: 'date' },
    { code: 'urgent', title: 'Urgent', kind: 'yesNo' },
    { code: 'side', title: 'Side', kind: 'choice', choices: ['Northshore', 'Southshore'] },
  ],
  places: [{ id: 'pil', name: 'PIL Pilotage', also: ['PIL'] }],
  parties: [],
  objects: [],
  people: [{ id: 'lune', name: 'Lune Abara' }],
  holds: [{ id: 'h', name: 'Grounding' }],
  detectors: [{ id: 'd', name: 'Payment cards' }],
};
describe('the field for criteria', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (
    inputs: Record<string, unknown> = {},
  ): Promise<{ stage: Stage<CriteriaField>; last: () => AskedCriteria | null | undefined }> => {
    const stage = await Stage.show(CriteriaField, { field: 'c', label: 'Which records', ...inputs });
    let read: AskedCriteria | null | undefined;
    stage.fixture.componentInstance.read.subscribe((criteria) => (read = criteria));
    await stage.answer('/api/criteria/vocabulary', vocabulary);
    return { stage, last: () => read };
  };
  const area = (): HTMLTextAreaElement => document.querySelector('#c')!;
  const key = async (stage: Stage<CriteriaField>, name: string): Promise<void> => {
    area().dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true, cancelable: true }));
    await stage.settle();
  };

  it('gives criteria as they are typed, and none while they cannot be read', async () => {
    const { stage, last } = await show();
    await stage.type('#c', 'vessel is Ottoline');
    expect(last()).toEqual({ op: 'fact', fact: 'vessel', value: 'Ottoline' });
    await stage.type('#c', 'vessel is');
    expect(last()).toBeNull();
  });

  it('reads what was typed before the words were known that it may use', async () => {
    const stage = await Stage.show(CriteriaField, { field: 'c', label: 'Which records' });
    const read: (AskedCriteria | null)[] = [];
    stage.fixture.componentInstance.read.subscribe((criteria) => read.push(criteria));
    await stage.type('#c', 'vessel is Ottoline');
    expect(read).toEqual([null]);
    await stage.answer('/api/criteria/vocabulary', vocabulary);
    expect(read.at(-1)).toEqual({ op: 'fact', fact: 'vessel', value: 'Ottoline' });
    await stage.settle();
    expect(read.length).withContext('once').toBe(2);
  });

  it('is completed with the keyboard alone', async () => {
    const { stage, last } = await show();
    area().focus();
    await stage.type('#c', 'record ty');
    await key(stage, 'ArrowDown');
    expect(area().getAttribute('aria-activedescendant')).toBe('c-option-0');
    await key(stage, 'Enter');
    expect(area().value).toBe('record type ');
    await stage.type('#c', 'record type is le');
    await key(stage, 'ArrowDown');
    await key(stage, 'Enter');
    expect(last()).toEqual({ op: 'is', field: 'recordType', value: 'lease' });
  });

  it('does not call wrong what is not finished yet', async () => {
    const { stage } = await show();
    area().focus();
    await stage.type('#c', 'vessel is ');
    expect(stage.host.querySelector('.wrong')).toBeNull();
    area().blur();
    await stage.settle();
    expect(stage.host.querySelector('.wrong')!.textContent).toContain('Expected a value.');
  });

  it('refuses dates that move where they must stand still', async () => {
    const { stage, last } = await show({ relative: false });
    await stage.type('#c', 'created in the last 7 days');
    expect(last()).toBeNull();
    expect(stage.text()).toContain('Dates must be fixed here');
  });

  it('says the same by hand and as text', async () => {
    const { stage, last } = await show();
    await stage.type('#c', 'held');
    await stage.press('Build step by step');
    await stage.press('Add a condition');
    expect(area().value).toBe('held and record type is Lease');
    await stage.press('not', stage.host.querySelectorAll('.clause')[1]!);
    expect(area().value).toBe('held and record type is not Lease');
    await stage.press('Add a group');
    expect(last()).toEqual({
      op: 'and',
      of: [
        { op: 'held' },
        { op: 'not', of: { op: 'is', field: 'recordType', value: 'lease' } },
        { op: 'is', field: 'recordType', value: 'lease' },
      ],
    });
    await stage.press('Remove the condition', stage.host.querySelector('.clause')!);
    expect(area().value).toBe('record type is not Lease and record type is Lease');
  });
});

import { TestBed } from '@angular/core/testing';
import { DateField } from './dateField';
import { Stage, testingProviders } from './testing';

describe('the date field', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  /** Its stage, and what went out of it. */
  const show = async (
    inputs: Record<string, unknown> = {},
  ): Promise<{ stage: Stage<DateField>; out: string[]; input: HTMLInputElement }> => {
    const stage = await Stage.show(DateField, { field: 'due', label: 'Due on', ...inputs });
    const out: string[] = [];
    stage.fixture.componentInstance.valueChange.subscribe((day) => out.push(day));
    return { stage, out, input: stage.host.querySelector('input')! };
  };
  const leave = async (stage: Stage<DateField>, input: HTMLInputElement): Promise<void> => {
    input.dispatchEvent(new Event('blur'));
    await stage.settle();
  };

  it('shows a date as everywhere else', async () => expect((await show({ value: '2027-04-01' })).input.value).toBe('1 Apr 2027'));

  it('takes a date as people write it, and shows it as everywhere else once it is left', async () => {
    const { stage, out, input } = await show();
    await stage.type('#due', '1 apr 27');
    expect([out.at(-1), input.value]).toEqual(['2027-04-01', '1 apr 27']);
    stage.fixture.componentRef.setInput('value', '2027-04-01');
    await stage.settle();
    expect(input.value).toBe('1 apr 27');
    await leave(stage, input);
    expect(input.value).toBe('1 Apr 2027');
    await stage.type('#due', 'end of year');
    expect(out.at(-1)).toBe('2026-12-31');
    await stage.type('#due', '+7d');
    expect(out.at(-1)).toBe('2026-09-21');
    await stage.type('#due', '');
    expect(out.at(-1)).toBe('');
  });

  it('says what is wrong once it is left, and keeps what was typed; what is no date does not go out', async () => {
    const { stage, out, input } = await show({ min: '2026-09-15', max: '2026-12-31' });
    for (const [text, said, gives, shown] of [
      ['soon', 'must be a date such as 1 Apr 2027, today or +7d', '', 'soon'],
      ['today', 'must not be before 15 Sep 2026', '2026-09-14', '14 Sep 2026'],
      ['1 jan 2027', 'must not be after 31 Dec 2026', '2027-01-01', '1 Jan 2027'],
    ] as const) {
      await stage.type('#due', text);
      expect(stage.text()).not.toContain('must');
      await leave(stage, input);
      expect([stage.text().trim().endsWith(said), input.value, out.at(-1), input.getAttribute('aria-invalid')]).toEqual([
        true,
        shown,
        gives,
        'true',
      ]);
    }
    await stage.type('#due', 'tomorrow');
    await leave(stage, input);
    expect([out.at(-1), input.value, input.getAttribute('aria-invalid')]).toEqual(['2026-09-15', '15 Sep 2026', null]);
  });

  it('has a calendar of its own', async () => {
    const { stage, out, input } = await show({ value: '2026-09-14' });
    await stage.press('Calendar');
    await stage.until(() => document.querySelector('.p-datepicker-day') !== null);
    const day = [...document.querySelectorAll<HTMLElement>('.p-datepicker-day')].find((d) => d.textContent!.trim() === '23')!;
    day.click();
    await stage.settle();
    expect([out.at(-1), input.value]).toEqual(['2026-09-23', '23 Sep 2026']);
  });
});

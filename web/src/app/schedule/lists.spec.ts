import { TestBed } from '@angular/core/testing';
import type { JurisdictionLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { CalendarSheet, readHoliday } from './calendarSheet';
import { ListsPage } from './listsPage';

describe('events and years', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (who = {}): Promise<Stage<ListsPage>> => {
    const stage = await Stage.show(ListsPage, {}, who);
    await stage.answer('/api/event-types', {
      types: [
        { name: 'lease ended', events: 12, rules: 3 },
        { name: 'spare', events: 0, rules: 0 },
      ],
    });
    await stage.answer('/api/named-years', {
      years: [
        { name: 'Board term', ends: ['2022-06-30', '2030-06-30'], rules: 1 },
        { name: 'Trading year', ends: ['2020-02-02'], rules: 0 },
      ],
    });
    return stage;
  };

  it('take a type of event, and let one go that nothing uses', async () => {
    const stage = await show();
    expect(() => stage.button('Remove lease ended')).toThrow();
    await stage.type('#event-type-name', ' vessel sold ');
    await stage.press('Add it');
    expect((await stage.answer('/api/event-types', {})).request.body).toEqual({ name: 'vessel sold' });
    await stage.answer('/api/event-types', { types: [{ name: 'spare', events: 0, rules: 0 }] });
    expect(document.querySelector<HTMLInputElement>('#event-type-name')!.value).toBe('');
    await stage.press('Remove spare');
    await stage.refuse('/api/event-types/drop', 'spare was recorded once, so it stays.');
    expect(stage.text()).toContain('spare was recorded once, so it stays.');
  });

  it('say when a year has no end ahead, and take ends as people write dates', async () => {
    const stage = await show();
    expect(stage.text()).toContain('30 Jun 2030 2 ends listed');
    expect(stage.text()).toContain('no end ahead is listed');
    await stage.press('Ends of Trading year');
    await stage.type('#year-ends', '2 feb 2020\n\nsoon');
    expect(stage.sheet.textContent).toContain('Line 3 is no date.');
    expect(stage.button('Set its ends').disabled).toBeTrue();
    await stage.type('#year-ends', '2 feb 2020\n\n31 Jan 2027');
    await stage.press('Set its ends');
    const { request } = await stage.answer('/api/named-years', { recomputed: 0 });
    expect(request.body).toEqual({ name: 'Trading year', ends: ['2020-02-02', '2027-01-31'] });
  });

  it('are only to be read for who keeps no schedule', async () => {
    const stage = await show({ rights: ['discover'] });
    expect(document.querySelector('#event-type-name')).toBeNull();
    expect(() => stage.button('Ends of Board term')).toThrow();
  });
});

describe('working days', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const line: JurisdictionLine = {
    name: 'Southshore',
    partOf: null,
    rules: 0,
    places: 0,
    calendar: { weekend: [6, 7], holidays: [{ on: '2026-12-25', name: 'Christmas Day' }] },
  };
  const table: [string, string | null][] = [
    ['25 Dec 2026 Christmas Day', '2026-12-25 Christmas Day'],
    ['2026-12-25', '2026-12-25 holiday'],
    ['1.1.2027; New Year', '2027-01-01 New Year'],
    ['May 3 2027 Compact Day', '2027-05-03 Compact Day'],
    ['Christmas Day 25 Dec 2026', null],
  ];
  for (const [text, read] of table) {
    it(`“${text}” is ${read ?? 'no holiday'}`, () => {
      const holiday = readHoliday(text, '2026-09-14');
      expect(holiday && `${holiday.on} ${holiday.name}`).toBe(read);
    });
  }

  it('are said day by day', async () => {
    const stage = await Stage.show(CalendarSheet, { line, open: true });
    await stage.type('#holidays', '25 Dec 2026 Christmas Day\nnothing');
    expect(stage.sheet.textContent).toContain('Line 2 begins with no date.');
    await stage.type('#holidays', '25 Dec 2026 Christmas Day\n1 jan 2027 New Year');
    stage.sheet.querySelectorAll<HTMLInputElement>('input[type=checkbox]')[4]!.click();
    await stage.settle();
    await stage.press('Set the working days');
    expect((await stage.answer('/api/jurisdictions/calendar', { holidays: [], recomputed: 0 })).request.body).toEqual({
      name: 'Southshore',
      weekend: [5, 6, 7],
      holidays: [
        { on: '2026-12-25', name: 'Christmas Day' },
        { on: '2027-01-01', name: 'New Year' },
      ],
      dryRun: false,
    });
  });

  it('are read from a calendar, and stand among those that are there before anything is stored', async () => {
    const stage = await Stage.show(CalendarSheet, { line, open: true });
    const chosen = { files: [new File(['BEGIN:VCALENDAR'], 'x.ics')], value: 'x.ics' } as unknown as HTMLInputElement;
    (stage.fixture.componentInstance as unknown as { take(chosen: HTMLInputElement): void }).take(chosen);
    const { request } = await stage.answer('/api/jurisdictions/calendar', {
      holidays: [{ on: '2026-05-03', name: 'Compact Day' }],
      recomputed: 0,
    });
    expect([request.body.ics, request.body.dryRun]).toEqual(['BEGIN:VCALENDAR', true]);
    expect(document.querySelector<HTMLTextAreaElement>('#holidays')!.value).toBe('2026-05-03 Compact Day\n2026-12-25 Christmas Day');
    await stage.press('Have no calendar');
    await stage.refuse('/api/jurisdictions/calendar/drop', 'Nobody said which days are worked in Southshore.');
    expect(stage.sheet.textContent).toContain('Nobody said which days are worked');
  });
});

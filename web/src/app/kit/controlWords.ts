import type { Translation } from 'primeng/api';
import { localeOf } from '../../words/language';

/** Names of what Intl knows: days of the week from Sunday on, months. */
function names(how: Intl.DateTimeFormatOptions, days: readonly Date[]): string[] {
  const format = new Intl.DateTimeFormat(localeOf, { ...how, timeZone: 'UTC' });
  return days.map((day) => format.format(day));
}

// 5 January 2025 was a Sunday.
const week = Array.from({ length: 7 }, (_, at) => new Date(Date.UTC(2025, 0, 5 + at)));
const year = Array.from({ length: 12 }, (_, at) => new Date(Date.UTC(2025, at, 15)));

/** What the controls of the library say by themselves: calendar, lists of choices, tables. */
export const controlWords: Translation = {
  dayNames: names({ weekday: 'long' }, week),
  dayNamesShort: names({ weekday: 'short' }, week),
  dayNamesMin: names({ weekday: 'short' }, week).map((name) => name.slice(0, 2)),
  monthNames: names({ month: 'long' }, year),
  monthNamesShort: names({ month: 'short' }, year),
  firstDayOfWeek: 1,
  chooseYear: $localize`Choose a year`,
  chooseMonth: $localize`Choose a month`,
  chooseDate: $localize`Choose a date`,
  prevDecade: $localize`Ten years back`,
  nextDecade: $localize`Ten years on`,
  prevYear: $localize`Year before`,
  nextYear: $localize`Next year`,
  prevMonth: $localize`Month before`,
  nextMonth: $localize`Next month`,
  today: $localize`Today`,
  clear: $localize`Clear`,
  emptyMessage: $localize`Nothing to choose from`,
  emptyFilterMessage: $localize`Nothing found`,
  emptySearchMessage: $localize`Nothing found`,
  searchMessage: $localize`{0} found`,
  selectionMessage: $localize`{0} chosen`,
  emptySelectionMessage: $localize`Nothing chosen`,
  aria: {
    close: $localize`Close`,
    listLabel: $localize`Choices`,
    selectAll: $localize`All chosen`,
    unselectAll: $localize`None chosen`,
    removeLabel: $localize`Remove`,
    selectRow: $localize`Row marked`,
    unselectRow: $localize`Row not marked`,
    expandRow: $localize`Row unfolded`,
    collapseRow: $localize`Row folded`,
    previous: $localize`Back`,
    next: $localize`On`,
    trueLabel: $localize`Yes`,
    falseLabel: $localize`No`,
    nullLabel: $localize`Not chosen`,
  },
};

/** Names of parts that the library has no word of its own for, as they are put on them. */
export const controlNames = { select: { dropdown: { 'aria-label': $localize`Choices` } } };

export {
  civilDate,
  dateInZone,
  daysInMonth,
  epochDay,
  formatCivilDate,
  isLeapYear,
  monthNames,
  parseCivilDate,
  yearMonthDay,
  type EpochDay,
  type YearMonthDay,
} from './civilDate.js';
export { addPeriod, formatPeriod, parsePeriod, period, readPeriod, subtractPeriod, type Period } from './period.js';
export { addWorkingDays, commonWorkdays, mondayToFriday, weekday, type WorkCalendar } from './workdays.js';
export { readDate } from './writtenDate.js';

import { formatDate } from '@angular/common';
import { Pipe, type PipeTransform } from '@angular/core';
import { parsePeriod } from '@key-cellar/core/calendar';
import type { Message } from '@key-cellar/words';
import { localeOf } from '../../words/language';
import { say, word } from '../../words/say';

/** A period in words; what is none stays as it was typed. */
export function periodWords(text: string): string {
  return parsePeriod(text) ? word({ period: text }) : text;
}

/** How dates are written, in the letters of Unicode Technical Standard 35. */
const monthPattern = $localize`:how a month of a year is written, in the letters of UTS 35:MMMM y`;
const instantPattern = $localize`:how a date with the time is written, in the letters of UTS 35:d MMM y, HH:mm`;
const exactPattern = $localize`:how a date with the time and seconds is written, in the letters of UTS 35:d MMM y, HH:mm:ss`;

/** A civil date (YYYY-MM-DD) as people read it: "14 Sep 2026", "14. Sep. 2026". */
export function dayWords(date: string): string {
  return word({ day: date });
}

/** A month (YYYY-MM) as people read it: "September 2026". */
export function monthWords(month: string): string {
  return formatDate(`${month}-15`, monthPattern, localeOf);
}

const collator = new Intl.Collator(localeOf, { numeric: true });

/** The order of names and titles, as the person’s language has it; numbers by their value. Negative when the first comes first. */
export const byWords = (a: string, b: string): number => collator.compare(a, b);

const numbers = new Intl.NumberFormat(localeOf);
const shortNumbers = new Intl.NumberFormat(localeOf, { notation: 'compact', maximumFractionDigits: 1 });

/** A count with the separators of the language. */
export function countWords(n: number): string {
  return numbers.format(n);
}

/** A civil date as people read it: "14 Sep 2026". Empty for none. */
@Pipe({ name: 'day' })
export class DayPipe implements PipeTransform {
  transform(date: string | null | undefined, none = ''): string {
    return date ? dayWords(date) : none;
  }
}

/** A message of the core as a sentence; empty for none. */
@Pipe({ name: 'say' })
export class SayPipe implements PipeTransform {
  transform(message: Message | null | undefined): string {
    return message ? say(message) : '';
  }
}

/** An instant: "14 Sep 2026, 09:31:07". */
@Pipe({ name: 'instant' })
export class InstantPipe implements PipeTransform {
  transform(instant: string, exact = false): string {
    return formatDate(instant, exact ? exactPattern : instantPattern, localeOf);
  }
}

const kindsOfFiles: readonly (readonly [RegExp, string])[] = [
  [/^application\/pdf$/, $localize`PDF`],
  [/^message\/rfc822$|outlook/, $localize`e-mail`],
  [/wordprocessingml|opendocument\.text|msword|rtf/, $localize`document`],
  [/spreadsheetml|opendocument\.spreadsheet|ms-excel|^text\/csv$/, $localize`table`],
  [/presentationml|opendocument\.presentation|ms-powerpoint/, $localize`slides`],
  [/^image\//, $localize`picture`],
  [/^audio\//, $localize`sound`],
  [/^video\//, $localize`film`],
  [/^text\/html$/, $localize`web page`],
  [/^text\//, $localize`text`],
  [/zip|x-tar|gzip|x-7z/, $localize`archive file`],
  [/json|xml/, $localize`data`],
];

/** What a media type is, in a word. */
@Pipe({ name: 'kindOfFile' })
export class KindOfFilePipe implements PipeTransform {
  transform(mediaType: string): string {
    return kindsOfFiles.find(([pattern]) => pattern.test(mediaType))?.[1] ?? $localize`file`;
  }
}

const units = ['kilobyte', 'megabyte', 'gigabyte', 'terabyte'] as const;

/** Bytes in the unit that reads best. */
@Pipe({ name: 'bytes' })
export class BytesPipe implements PipeTransform {
  transform(bytes: number): string {
    if (bytes === 0) return '';
    if (bytes < 1000) return `${bytes} B`;
    const power = Math.min(Math.floor(Math.log10(bytes) / 3), units.length);
    const value = bytes / 1000 ** power;
    const digits = value >= 100 ? 0 : 1;
    const how = {
      style: 'unit',
      unit: units[power - 1]!,
      unitDisplay: 'short',
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    } as const;
    return new Intl.NumberFormat(localeOf, how).format(value);
  }
}

/** Numbers with separators of the locale; millions in a narrow column in short: "1.4M". */
@Pipe({ name: 'count' })
export class CountPipe implements PipeTransform {
  transform(n: number | undefined, column: 'wide' | 'narrow' = 'wide'): string {
    if (n === undefined) return '';
    return column === 'narrow' && n >= 1_000_000 ? shortNumbers.format(n) : countWords(n);
  }
}

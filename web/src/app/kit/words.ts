import { inject, LOCALE_ID, Pipe, type PipeTransform } from '@angular/core';
import { formatDate } from '@angular/common';
import { describePeriod, parsePeriod } from '@key-cellar/core/calendar';

/** A period in words; what is none stays as it was typed. */
export function periodWords(text: string): string {
  const period = parsePeriod(text);
  return period ? describePeriod(period) : text;
}

/** A civil date as people read it: "14 Sep 2026". Empty for none. */
@Pipe({ name: 'day' })
export class DayPipe implements PipeTransform {
  private readonly locale = inject(LOCALE_ID);
  transform(date: string | null | undefined, none = ''): string {
    return date ? formatDate(date, 'd MMM y', this.locale) : none;
  }
}

/** Words of the server with the dates in them as people read them. */
@Pipe({ name: 'dated' })
export class DatedPipe implements PipeTransform {
  private readonly locale = inject(LOCALE_ID);
  transform(words: string | null | undefined): string {
    return (words ?? '').replace(/\b\d{4}-\d{2}-\d{2}\b/g, (date) => formatDate(date, 'd MMM y', this.locale));
  }
}

/** An instant: "14 Sep 2026, 09:31:07". */
@Pipe({ name: 'instant' })
export class InstantPipe implements PipeTransform {
  private readonly locale = inject(LOCALE_ID);
  transform(instant: string, exact = false): string {
    return formatDate(instant, exact ? 'd MMM y, HH:mm:ss' : 'd MMM y, HH:mm', this.locale);
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

/** Bytes in the unit that reads best. */
@Pipe({ name: 'bytes' })
export class BytesPipe implements PipeTransform {
  transform(bytes: number): string {
    if (bytes === 0) return '';
    const units = ['B', 'kB', 'MB', 'GB', 'TB'];
    const power = Math.min(Math.floor(Math.log10(bytes) / 3), units.length - 1);
    const value = bytes / 1000 ** power;
    return `${value >= 100 || power === 0 ? Math.round(value) : value.toFixed(1)} ${units[power]!}`;
  }
}

/** Numbers with separators of the locale. */
@Pipe({ name: 'count' })
export class CountPipe implements PipeTransform {
  private readonly format = new Intl.NumberFormat(inject(LOCALE_ID));
  transform(n: number | undefined): string {
    return n === undefined ? '' : this.format.format(n);
  }
}

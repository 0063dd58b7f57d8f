import { message, type Message } from '@key-cellar/words';
/** What a place takes; null: whatever the places around it take. */
export interface Takes {
  /** Codes of record types. */
  readonly types: readonly string[] | null;
  /** Formats by their usual endings without the dot, in small letters; what counts is the content. */
  readonly formats: readonly string[] | null;
  /** Largest file in bytes. */
  readonly largest: number | null;
}

/** What is to be filed: a file's name and size are null for an item on a shelf. */
export interface Filed {
  readonly recordType: string;
  readonly fileName: string | null;
  /** Endings that files of its content have, without the dot, in small letters. */
  readonly endings: readonly string[];
  readonly size: number;
}

/**
 * Why a place does not take something; null when it does. Of each of the three, the nearest place that says anything counts.
 * `around` is nearest first; names are for the sentence.
 */
export function takesRefusal(around: readonly { readonly name: string; readonly takes: Takes }[], filed: Filed): Message | null {
  const saysTypes = around.find((p) => p.takes.types !== null);
  if (saysTypes && !saysTypes.takes.types!.includes(filed.recordType)) {
    return message('records.doesNotTakeRecord', { name: saysTypes.name });
  }
  if (filed.fileName === null) return null;
  const saysFormats = around.find((p) => p.takes.formats !== null);
  const ending = /\.([^.]+)$/.exec(filed.fileName)?.[1]?.toLowerCase() ?? '';
  if (saysFormats && !filed.endings.some((one) => saysFormats.takes.formats!.includes(one))) {
    const formats = { list: saysFormats.takes.formats! };
    if (saysFormats.takes.formats!.includes(ending)) return message('records.contentIsOther', { name: saysFormats.name, formats, ending });
    return ending === ''
      ? message('records.takesOnlyNoEnding', { name: saysFormats.name, formats: { list: saysFormats.takes.formats! } })
      : message('records.takesOnly', { name: saysFormats.name, formats: { list: saysFormats.takes.formats! }, ending });
  }
  const saysSize = around.find((p) => p.takes.largest !== null);
  if (saysSize && filed.size > saysSize.takes.largest!) {
    return message('records.takesFilesAtMost', {
      name: saysSize.name,
      largest: { bytes: saysSize.takes.largest! },
      size: { bytes: filed.size },
    });
  }
  return null;
}

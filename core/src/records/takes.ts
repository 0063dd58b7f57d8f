/** What a place takes; null: whatever the places around it take. */
export interface Takes {
  /** Codes of record types. */
  readonly types: readonly string[] | null;
  /** File name endings without the dot, in small letters. */
  readonly formats: readonly string[] | null;
  /** Largest file in bytes. */
  readonly largest: number | null;
}

/** What is to be filed: a file's name and size are null for an item on a shelf. */
export interface Filed {
  readonly recordType: string;
  readonly fileName: string | null;
  readonly size: number;
}

/**
 * Why a place does not take something; null when it does. Of each of the three, the nearest place that says anything counts.
 * `around` is nearest first; names are for the sentence.
 */
export function takesRefusal(around: readonly { readonly name: string; readonly takes: Takes }[], filed: Filed): string | null {
  const saysTypes = around.find((p) => p.takes.types !== null);
  if (saysTypes && !saysTypes.takes.types!.includes(filed.recordType)) {
    return `${saysTypes.name} does not take this record type. A keeper decides what it takes.`;
  }
  if (filed.fileName === null) return null;
  const saysFormats = around.find((p) => p.takes.formats !== null);
  const ending = /\.([^.]+)$/.exec(filed.fileName)?.[1]?.toLowerCase() ?? '';
  if (saysFormats && !saysFormats.takes.formats!.includes(ending)) {
    return `${saysFormats.name} takes only ${saysFormats.takes.formats!.join(', ')}; this is ${ending || 'a file without an ending'}.`;
  }
  const saysSize = around.find((p) => p.takes.largest !== null);
  if (saysSize && filed.size > saysSize.takes.largest!) {
    return `${saysSize.name} takes files of ${megabytes(saysSize.takes.largest!)} at most; this one has ${megabytes(filed.size)}.`;
  }
  return null;
}

const megabytes = (bytes: number): string => `${(bytes / 1_000_000).toFixed(bytes < 10_000_000 ? 1 : 0)} MB`;

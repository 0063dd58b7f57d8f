export const megabyte = 1_000_000;

/** Formats as somebody types them (“.PDF, docx”), by their endings; null for none. */
export function formatsIn(text: string): string[] | null {
  const formats = text
    .toLowerCase()
    .split(/[\s,;]+/)
    .map((format) => format.replace(/^\./, ''))
    .filter(Boolean);
  return formats.length > 0 ? formats : null;
}

/** Bytes of a size in megabytes; null for none. */
export const bytesOf = (megabytes: number | null): number | null => (megabytes ? Math.round(megabytes * megabyte) : null);

import { fileTypeFromBuffer, supportedExtensions } from 'file-type';
import mimeTypes from 'mime-types';

const byEnding: Record<string, string> = {
  txt: 'text/plain',
  md: 'text/markdown',
  csv: 'text/csv',
  html: 'text/html',
  htm: 'text/html',
  json: 'application/json',
  xml: 'application/xml',
  svg: 'image/svg+xml',
  eml: 'message/rfc822',
};

const tiffHeads = [Buffer.from('49492a00', 'hex'), Buffer.from('4d4d002a', 'hex')];

/** Media type from the bytes themselves where they tell, else from the name's ending and whether it looks like text. */
export async function detectMediaType(head: Buffer, fileName: string): Promise<string> {
  const detected = await fileTypeFromBuffer(head).catch(() => undefined);
  if (detected) return detected.mime;
  // A TIFF may tell its kind further on than its head (TIFF 6.0 §2: byte order, then 42).
  if (tiffHeads.some((magic) => head.subarray(0, 4).equals(magic))) return 'image/tiff';
  const looksLikeText = !head.includes(0);
  const ending = fileName.slice(fileName.lastIndexOf('.') + 1).toLowerCase();
  if (looksLikeText) return byEnding[ending] ?? 'text/plain';
  return 'application/octet-stream';
}

/** Kinds of content that many formats are written in, which the bytes alone do not tell apart. */
const general = new Set([
  'text/plain',
  'application/octet-stream',
  'application/zip',
  'application/x-cfb',
  'application/xml',
  'application/ogg',
]);

/**
 * Endings of files with a content, as far as its media type tells; of content that many formats are written in the ending that the file has
 * counts too, unless content of that format would have told itself (an `.exe` called `.pdf` is no PDF, and neither is a text).
 */
function endingsOf(mediaType: string, fileName: string): string[] {
  const own = /\.([^.]+)$/.exec(fileName)?.[1]?.toLowerCase() ?? '';
  const known = mediaType === 'application/octet-stream' ? [] : [...(mimeTypes.extensions[mediaType] ?? [])];
  const tells = (supportedExtensions as ReadonlySet<string>).has(own);
  return own !== '' && !known.includes(own) && general.has(mediaType) && !tells ? [...known, own] : known;
}

/** A file as a place judges whether it takes it; null: an item on a shelf. */
export const takenAs = (
  file: { readonly file_name: string; readonly media_type: string } | null,
): { readonly fileName: string | null; readonly endings: readonly string[] } =>
  file === null ? { fileName: null, endings: [] } : { fileName: file.file_name, endings: endingsOf(file.media_type, file.file_name) };

import { fileTypeFromBuffer } from 'file-type';

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

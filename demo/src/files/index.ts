import type { Random } from '../random.js';
import { eml } from './mail.js';
import { docx, xlsx } from './office.js';
import { imagePdf, textPdf } from './pdf.js';
import { scannedPage } from './scan.js';
import { plainText, type Subject } from './text.js';

export { type Subject } from './text.js';
export const richKinds = ['pdf', 'docx', 'scan', 'xlsx', 'eml', 'png', 'tiff'] as const;
export type RichKind = (typeof richKinds)[number];

const mediaTypes: Record<RichKind, string> = {
  pdf: 'application/pdf',
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  scan: 'application/pdf',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  eml: 'message/rfc822',
  png: 'image/png',
  tiff: 'image/tiff',
};

export interface SampleFile {
  readonly bytes: Buffer;
  readonly ending: string;
  readonly mediaType: string;
}

async function bytesOf(kind: RichKind, subject: Subject, random: Random): Promise<Buffer> {
  switch (kind) {
    case 'pdf':
      return textPdf(subject, random);
    case 'docx':
      return docx(subject, random);
    case 'scan':
      return imagePdf(await (await scannedPage(subject, random)).jpeg({ quality: 60 }).toBuffer(), subject);
    case 'png':
      return (await scannedPage(subject, random)).resize(900).png({ compressionLevel: 9 }).toBuffer();
    case 'tiff':
      return (await scannedPage(subject, random)).tiff({ compression: 'lzw' }).toBuffer();
    case 'xlsx':
      return xlsx([
        ['Marrowick Harbour Authority', subject.title],
        ['Date', 'Station', 'Before', 'After'],
        ...Array.from({ length: 24 }, (_, i) => [
          subject.createdOn,
          `Station ${i + 1}`,
          random.whole(1000, 4000) / 1000,
          random.whole(1000, 4000) / 1000,
        ]),
      ]);
    case 'eml':
      return eml(subject, random, [{ filename: 'enclosure.pdf', content: await textPdf(subject, random) }]);
  }
}

/** A real file of a kind with content made from the subject. */
export async function sampleFile(kind: RichKind, subject: Subject, random: Random): Promise<SampleFile> {
  return { bytes: await bytesOf(kind, subject, random), ending: kind === 'scan' ? 'pdf' : kind, mediaType: mediaTypes[kind] };
}

export function textFile(subject: Subject, random: Random): SampleFile {
  return { bytes: Buffer.from(plainText(subject, random)), ending: 'txt', mediaType: 'text/plain' };
}

import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import fontkit from '@pdf-lib/fontkit';
import { PDFDocument, rgb, type PDFFont, type PDFPage } from '@cantoo/pdf-lib';
import type { Evidence } from './store.js';
import type { Receipt } from './transfer.js';

export interface CertificateContent {
  readonly repository: string;
  readonly number: string;
  readonly batch: string;
  readonly action: 'destroy' | 'transfer';
  /** The archive's receipt, for a transfer. */
  readonly receipt: Receipt | null;
  readonly what: string;
  readonly issuedOn: string;
  readonly proposedBy: string;
  readonly approvals: readonly { readonly name: string; readonly on: string }[];
  readonly records: readonly Evidence[];
  readonly kept: readonly { readonly name: string; readonly reason: string }[];
}

// A4 in PDF points (ISO 32000-1 §8.3.2.3), with margins.
const width = 595.28;
const height = 841.89;
const margin = 56;
const ink = rgb(0.08, 0.13, 0.11);
const soft = rgb(0.29, 0.35, 0.32);
const line = rgb(0.79, 0.82, 0.78);

const actionWords = {
  destroy: { heading: 'Certificate of destruction', done: 'destroyed', Done: 'Destroyed', not: 'Not destroyed' },
  transfer: { heading: 'Certificate of transfer', done: 'transferred', Done: 'Transferred', not: 'Not transferred' },
} as const;

function wrap(text: string, font: PDFFont, size: number, room: number): string[] {
  const lines: string[] = [];
  let current = '';
  for (const word of text.split(/\s+/)) {
    const longer = current ? `${current} ${word}` : word;
    if (font.widthOfTextAtSize(longer, size) <= room) {
      current = longer;
      continue;
    }
    if (current) lines.push(current);
    current = word;
    // A single word wider than the page (a long name without spaces) is cut where it fits.
    while (font.widthOfTextAtSize(current, size) > room) {
      let fits = current.length;
      while (fits > 1 && font.widthOfTextAtSize(current.slice(0, fits), size) > room) fits -= 1;
      lines.push(current.slice(0, fits));
      current = current.slice(fits);
    }
  }
  if (current) lines.push(current);
  return lines;
}

/** The certificate of destruction, or of transfer, as a PDF: what, when, by whom, on what authority, with every fingerprint. */
export async function certificatePdf(content: CertificateContent, fontsDir: string): Promise<Buffer> {
  const pdf = await PDFDocument.create();
  pdf.registerFontkit(fontkit);
  const [regularBytes, boldBytes] = await Promise.all(
    ['AtkinsonHyperlegibleNext-Regular.ttf', 'AtkinsonHyperlegibleNext-Bold.ttf'].map((name) => readFile(join(fontsDir, name))),
  );
  const regular = await pdf.embedFont(regularBytes!, { subset: false });
  const bold = await pdf.embedFont(boldBytes!, { subset: false });
  const words = actionWords[content.action];
  pdf.setTitle(`${words.heading} ${content.number}`);
  pdf.setAuthor(content.repository);
  pdf.setProducer('Key Cellar');
  pdf.setCreator('Key Cellar');

  let page: PDFPage = pdf.addPage([width, height]);
  let y = height - margin;
  const room = width - 2 * margin;
  const write = (text: string, { font = regular, size = 10, color = ink, gap = 4, indent = 0 } = {}): void => {
    for (const part of wrap(text, font, size, room - indent)) {
      if (y < margin + size + 20) {
        page = pdf.addPage([width, height]);
        y = height - margin;
      }
      y -= size;
      page.drawText(part, { x: margin + indent, y, size, font, color });
      y -= gap;
    }
  };
  const rule = (): void => {
    y -= 4;
    page.drawLine({ start: { x: margin, y }, end: { x: width - margin, y }, thickness: 0.6, color: line });
    y -= 8;
  };

  write(content.repository, { size: 10, color: soft });
  write(`${words.heading} ${content.number}`, { font: bold, size: 20, gap: 8 });
  write(
    `${content.records.length} ${content.records.length === 1 ? 'record' : 'records'} of batch ${content.batch} (${content.what}) ${
      content.records.length === 1 ? 'was' : 'were'
    } ${words.done}. This certificate was issued on ${content.issuedOn}.`,
    { size: 11, gap: 5 },
  );
  write(`Proposed by ${content.proposedBy}.`);
  for (const approval of content.approvals) write(`Approved by ${approval.name} on ${approval.on}.`);
  if (content.receipt) {
    const { archive, accession, receivedOn, bagSha256, files, payloadOxum } = content.receipt;
    write(`${archive} received them on ${receivedOn} under accession ${accession}.`);
    write(`Bag of ${files} files, Payload-Oxum ${payloadOxum}, SHA-256 ${bagSha256}`, { size: 8, color: soft });
  }
  rule();
  for (const record of content.records) {
    write(`${record.number}  ${record.title}`, { font: bold, size: 10 });
    write(
      `${record.recordType}, dated ${record.createdOn}. ${record.rule ? `Due ${record.dueOn} under ${record.rule}, ${record.authority}.` : `Due ${record.dueOn}, set by hand.`} ${words.Done} ${record.disposedOn}.`,
      { size: 9, color: soft },
    );
    for (const version of record.versions) {
      write(`Version ${version.no}, ${version.fileName}, ${version.size} bytes`, { size: 8, color: soft, indent: 12, gap: 2 });
      write(`SHA-256 ${version.sha256}`, { size: 8, color: soft, indent: 12 });
    }
    if (record.physical) {
      write(
        `On paper, from ${record.physical.container}: ${record.physical.method} on ${record.physical.on}, witnessed by ${record.physical.witness}.`,
        { size: 8, color: soft, indent: 12 },
      );
    }
    y -= 4;
  }
  if (content.kept.length > 0) {
    rule();
    write(words.not, { font: bold, size: 12, gap: 6 });
    for (const kept of content.kept) write(`${kept.name}: ${kept.reason}`, { size: 9 });
  }
  const pages = pdf.getPages();
  pages.forEach((p, i) => {
    p.drawText(`${content.number} · page ${i + 1} of ${pages.length}`, { x: margin, y: margin / 2, size: 8, font: regular, color: soft });
  });
  return Buffer.from(await pdf.save());
}

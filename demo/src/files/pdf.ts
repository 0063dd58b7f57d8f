import { readFile } from 'node:fs/promises';
import fontkit from '@pdf-lib/fontkit';
import { PDFDocument, rgb } from '@cantoo/pdf-lib';
import { paragraphs, type Subject } from './text.js';
import type { Random } from '../random.js';

const kept = new Map<string, Promise<Buffer>>();
const fonts = new URL('../../../server/assets/', import.meta.url);
/** The bytes of the shipped font, read once. */
export function fontFile(name: 'Regular' | 'Bold'): Promise<Buffer> {
  let bytes = kept.get(name);
  if (!bytes) kept.set(name, (bytes = readFile(new URL(`AtkinsonHyperlegibleNext-${name}.ttf`, fonts))));
  return bytes;
}

function wrap(text: string, width: number): string[] {
  const lines: string[] = [];
  for (const part of text.split('\n')) {
    let line = '';
    for (const word of part.split(' ')) {
      if (line.length + word.length + 1 > width) {
        lines.push(line);
        line = word;
      } else line = line ? `${line} ${word}` : word;
    }
    lines.push(line);
  }
  return lines;
}

/** A PDF with real text, on A4. */
export async function textPdf(subject: Subject, random: Random): Promise<Buffer> {
  const pdf = await PDFDocument.create();
  pdf.registerFontkit(fontkit);
  const regular = await pdf.embedFont(await fontFile('Regular'), { subset: false });
  const bold = await pdf.embedFont(await fontFile('Bold'), { subset: false });
  const fixed = new Date(`${subject.createdOn}T09:00:00Z`);
  pdf.setTitle(subject.title);
  pdf.setAuthor(subject.author);
  pdf.setCreationDate(fixed);
  pdf.setModificationDate(fixed);
  const ink = rgb(0.1, 0.12, 0.11);
  const grey = rgb(0.4, 0.44, 0.42);
  let page = pdf.addPage([595.28, 841.89]);
  page.drawText('Marrowick Harbour Authority', { x: 64, y: 776, size: 10, font: regular, color: grey });
  page.drawText(subject.title.slice(0, 62), { x: 64, y: 736, size: 17, font: bold, color: ink });
  page.drawText(`${subject.number} · ${subject.createdOn} · Tarrin Sound`, { x: 64, y: 716, size: 10, font: regular, color: grey });
  let y = 682;
  const body = paragraphs(subject, random);
  const more = paragraphs(subject, random).slice(1, -1);
  // Nothing is said twice, and the closing words come last.
  for (const paragraph of new Set([...body.slice(0, -1), ...more, body.at(-1)!])) {
    for (const line of wrap(paragraph, 82)) {
      if (y < 80) {
        page = pdf.addPage([595.28, 841.89]);
        y = 776;
      }
      page.drawText(line, { x: 64, y, size: 11, font: regular, color: ink });
      y -= 17;
    }
    y -= 9;
  }
  page.drawText(subject.author, { x: 64, y: y - 16, size: 11, font: regular, color: ink });
  return Buffer.from(await pdf.save());
}

/** A PDF that holds one page image, as a scanner makes it. */
export async function imagePdf(jpeg: Buffer, subject: Subject): Promise<Buffer> {
  const pdf = await PDFDocument.create();
  const fixed = new Date(`${subject.createdOn}T09:00:00Z`);
  pdf.setCreationDate(fixed);
  pdf.setModificationDate(fixed);
  pdf.setTitle(`Scan of ${subject.title}`);
  const image = await pdf.embedJpg(jpeg);
  pdf.addPage([595.28, 841.89]).drawImage(image, { x: 0, y: 0, width: 595.28, height: 841.89 });
  return Buffer.from(await pdf.save());
}

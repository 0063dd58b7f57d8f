import fontkit from '@pdf-lib/fontkit';
import sharp, { type Sharp } from 'sharp';
import { fontFile } from './pdf.js';
import { paragraphs, type Subject } from './text.js';
import type { Random } from '../random.js';

interface Glyph {
  readonly path: { toSVG(): string };
  readonly advanceWidth: number;
}
interface LoadedFont {
  readonly unitsPerEm: number;
  layout(text: string): { glyphs: Glyph[] };
}

let font: Promise<LoadedFont> | null = null;

/** A line of text as SVG outlines: no font of the machine is needed to draw it. */
async function outlines(text: string, x: number, y: number, size: number): Promise<string> {
  font ??= fontFile('Regular').then((bytes) => fontkit.create(bytes) as unknown as LoadedFont);
  const loaded = await font;
  const scale = size / loaded.unitsPerEm;
  let at = x;
  const parts: string[] = [];
  for (const glyph of loaded.layout(text).glyphs) {
    parts.push(`<path transform="translate(${at.toFixed(1)} ${y}) scale(${scale} ${-scale})" d="${glyph.path.toSVG()}"/>`);
    at += glyph.advanceWidth * scale;
  }
  return parts.join('');
}

/** A page that looks scanned: a little crooked, grey at the edge, with specks. 150 dpi. */
export async function scannedPage(subject: Subject, random: Random): Promise<Sharp> {
  const lines = ['MARROWICK HARBOUR AUTHORITY', '', subject.title, `${subject.number}   ${subject.createdOn}`, ''];
  for (const paragraph of paragraphs(subject, random)) {
    const words = paragraph.split(/\s+/);
    for (let line = ''; words.length > 0 || line;) {
      const word = words.shift();
      if (word !== undefined && (line + word).length < 64) line = line ? `${line} ${word}` : word;
      else {
        lines.push(line);
        line = word ?? '';
        if (word === undefined) break;
      }
    }
    lines.push('');
  }
  lines.push(subject.author);
  const drawn = await Promise.all(lines.map((line, i) => outlines(line, 130, 190 + i * 42, i === 2 ? 38 : 27)));
  const specks = Array.from(
    { length: 90 },
    () => `<circle cx="${random.whole(0, 1240)}" cy="${random.whole(0, 1754)}" r="${(random.next() * 1.8).toFixed(2)}" fill="#555"/>`,
  );
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="1240" height="1754">
    <rect width="1240" height="1754" fill="#f4f2ea"/><rect width="1240" height="22" fill="#cfccc2"/>
    <g fill="#2a2c30" transform="rotate(${(random.next() * 1.6 - 0.8).toFixed(2)} 620 877)">${drawn.join('')}</g>
    ${specks.join('')}<circle cx="40" cy="420" r="17" fill="#d8d5cb"/><circle cx="40" cy="1330" r="17" fill="#d8d5cb"/></svg>`;
  return sharp(Buffer.from(svg)).greyscale();
}

import { message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { PDFFont, PDFPage } from '@cantoo/pdf-lib';

// A4 in PDF points (ISO 32000-1 §8.3.2.3), with margins.
const width = 595.28;
const height = 841.89;
const margin = 56;

/** Words whose widths are kept while a document is written. */
const mostWords = 20_000;

interface Style {
  readonly bold?: boolean;
  readonly size?: number;
  readonly soft?: boolean;
  readonly gap?: number;
  readonly indent?: number;
}

/** A document while it is written, from the top down; pages follow one another as they are needed. */
export interface Sheet {
  write(text: string, style?: Style): void;
  rule(): void;
  space(points: number): void;
}

/** Widths of words at one point, each measured once: a line is as wide as its words and the spaces between them. */
function measure(font: PDFFont): (word: string) => number {
  const known = new Map<string, number>();
  return (word) => {
    const width = known.get(word) ?? font.widthOfTextAtSize(word, 1);
    if (known.size < mostWords) known.set(word, width);
    return width;
  };
}

/** Breaks a text into lines that are no wider than `room`, in points at a size of one. */
function wrap(text: string, widthOf: (word: string) => number, room: number): string[] {
  const lines: string[] = [];
  const space = widthOf(' ');
  let current = '';
  let width = 0;
  const put = (word: string, wide: number): void => {
    current = word;
    width = wide;
  };
  for (const word of text.split(/\s+/)) {
    const wide = widthOf(word);
    if (current && width + space + wide <= room) {
      put(`${current} ${word}`, width + space + wide);
      continue;
    }
    if (current) lines.push(current);
    put(word, wide);
    // A single word wider than the page (a long name without spaces) is cut where it fits.
    while (width > room) {
      let fits = current.length;
      while (fits > 1 && widthOf(current.slice(0, fits)) > room) fits -= 1;
      lines.push(current.slice(0, fits));
      put(current.slice(fits), widthOf(current.slice(fits)));
    }
  }
  if (current) lines.push(current);
  return lines;
}

/** A PDF on A4 in the fonts of the house, with its name and the number of the page at the foot of each. */
export async function document(
  about: { readonly title: string; readonly author: string; readonly foot: string; readonly fontsDir: string; readonly speaker: Speaker },
  compose: (sheet: Sheet) => void,
): Promise<Buffer> {
  // What writes PDF is large, and few who serve or work need it.
  const [{ PDFDocument, rgb }, { default: fontkit }] = await Promise.all([import('@cantoo/pdf-lib'), import('@pdf-lib/fontkit')]);
  const [ink, soft, line] = [rgb(0.08, 0.13, 0.11), rgb(0.29, 0.35, 0.32), rgb(0.79, 0.82, 0.78)];
  const pdf = await PDFDocument.create();
  pdf.registerFontkit(fontkit);
  const [regularBytes, boldBytes] = await Promise.all(
    ['AtkinsonHyperlegibleNext-Regular.ttf', 'AtkinsonHyperlegibleNext-Bold.ttf'].map((name) => readFile(join(about.fontsDir, name))),
  );
  // Glyphs are set at their own widths, so that it would be in vain to work out how they could move together.
  const features = { kern: false, mark: false, mkmk: false };
  const regular = await pdf.embedFont(regularBytes!, { subset: false, features });
  const bold = await pdf.embedFont(boldBytes!, { subset: false, features });
  const widths = { regular: measure(regular), bold: measure(bold) };
  pdf.setTitle(about.title);
  pdf.setAuthor(about.author);
  pdf.setProducer('Key Cellar');
  pdf.setCreator('Key Cellar');

  let page: PDFPage = pdf.addPage([width, height]);
  let y = height - margin;
  const room = width - 2 * margin;
  compose({
    write(text, style = {}) {
      const { size = 10, gap = 4, indent = 0 } = style;
      const font = style.bold ? bold : regular;
      for (const part of wrap(text, widths[style.bold ? 'bold' : 'regular'], (room - indent) / size)) {
        if (y < margin + size + 20) {
          page = pdf.addPage([width, height]);
          y = height - margin;
        }
        y -= size;
        page.drawText(part, { x: margin + indent, y, size, font, color: style.soft ? soft : ink });
        y -= gap;
      }
    },
    rule() {
      y -= 4;
      page.drawLine({ start: { x: margin, y }, end: { x: width - margin, y }, thickness: 0.6, color: line });
      y -= 8;
    },
    space(points) {
      y -= points;
    },
  });
  const pages = pdf.getPages();
  pages.forEach((p, i) => {
    const foot = about.speaker.say(message('print.foot', { what: about.foot, no: i + 1, of: pages.length }));
    p.drawText(foot, { x: margin, y: margin / 2, size: 8, font: regular, color: soft });
  });
  return Buffer.from(await pdf.save());
}

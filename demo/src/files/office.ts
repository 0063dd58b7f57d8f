import { zipSync, strToU8 } from 'fflate';
import { paragraphs, type Subject } from './text.js';
import type { Random } from '../random.js';

const escapeXml = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
const declaration = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>';
// A fixed moment: the same file on every machine. ZIP knows no time before 1980.
const mtime = new Date('2020-01-01T12:00:00');

function pack(parts: Record<string, string>): Buffer {
  const files = Object.fromEntries(Object.entries(parts).map(([name, xml]) => [name, strToU8(declaration + xml)]));
  return Buffer.from(zipSync(files, { mtime, level: 6 }));
}

const relations = (target: string, type: string): string =>
  `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/${type}" Target="${target}"/></Relationships>`;

/** A WordprocessingML document (ISO/IEC 29500). */
export function docx(subject: Subject, random: Random): Buffer {
  const paragraph = (text: string, style = ''): string =>
    `<w:p>${style}<w:r><w:t xml:space="preserve">${escapeXml(text)}</w:t></w:r></w:p>`;
  const body = [
    `<w:p><w:r><w:rPr><w:b/><w:sz w:val="36"/></w:rPr><w:t>${escapeXml(subject.title)}</w:t></w:r></w:p>`,
    paragraph(`${subject.number} · ${subject.createdOn}`),
    ...paragraphs(subject, random).flatMap((p) => p.split('\n').map((part) => paragraph(part))),
    paragraph(subject.author),
  ];
  return pack({
    '[Content_Types].xml':
      '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>',
    '_rels/.rels': relations('word/document.xml', 'officeDocument'),
    'word/document.xml': `<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>${body.join('')}</w:body></w:document>`,
  });
}

/** A SpreadsheetML workbook (ISO/IEC 29500) with one sheet. */
export function xlsx(rows: readonly (readonly (string | number)[])[]): Buffer {
  const cells = rows.map(
    (row, r) =>
      `<row r="${r + 1}">${row
        .map((value, c) => {
          const at = `${String.fromCharCode(65 + c)}${r + 1}`;
          return typeof value === 'number'
            ? `<c r="${at}"><v>${value}</v></c>`
            : `<c r="${at}" t="inlineStr"><is><t>${escapeXml(value)}</t></is></c>`;
        })
        .join('')}</row>`,
  );
  return pack({
    '[Content_Types].xml':
      '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>',
    '_rels/.rels': relations('xl/workbook.xml', 'officeDocument'),
    'xl/workbook.xml':
      '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Sheet" sheetId="1" r:id="r1"/></sheets></workbook>',
    'xl/_rels/workbook.xml.rels': relations('sheet1.xml', 'worksheet'),
    'xl/sheet1.xml': `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>${cells.join('')}</sheetData></worksheet>`,
  });
}

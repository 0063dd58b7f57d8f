import type { Readable } from 'node:stream';
import { withZip } from '../kernel/index.js';

const openXml = 'application/vnd.openxmlformats-officedocument.';
const openDocument = 'application/vnd.oasis.opendocument.';

/** The parts of an office document that hold words (ISO/IEC 29500-1 clauses 11 to 13, ISO/IEC 26300-3 §3.1). */
const partsOf: Readonly<Record<string, RegExp>> = {
  [`${openXml}wordprocessingml.document`]: /^word\/(?:document|header\d*|footer\d*|footnotes|endnotes|comments)\.xml$/,
  [`${openXml}spreadsheetml.sheet`]: /^xl\/(?:sharedStrings|comments\d*|(?:worksheets\/)?sheet\d*)\.xml$/,
  [`${openXml}presentationml.presentation`]: /^ppt\/(?:slides\/slide|notesSlides\/notesSlide|comments\/comment)\d*\.xml$/,
  [`${openDocument}text`]: /^content\.xml$/,
  [`${openDocument}spreadsheet`]: /^content\.xml$/,
  [`${openDocument}presentation`]: /^content\.xml$/,
};

export function isOffice(mediaType: string): boolean {
  return mediaType in partsOf;
}

/** Ends of paragraphs, lines and cells, and what stands for a space; other tags may stand within a word and leave nothing. */
const lineEnds = new Set([
  'w:p',
  'a:p',
  'text:p',
  'text:h',
  'si',
  'is',
  'v',
  'c',
  'row',
  'comment',
  'w:br',
  'w:cr',
  'a:br',
  'text:line-break',
]);
const spaces = new Set(['w:tab', 'text:tab', 'text:s', 'w:noBreakHyphen']);
const entities: Readonly<Record<string, string>> = { lt: '<', gt: '>', amp: '&', quot: '"', apos: "'" };

function decode(text: string): string {
  return text.replace(
    /&(?:#(\d{1,7})|#x([0-9a-f]{1,6})|(lt|gt|amp|quot|apos));/gi,
    (whole, decimal?: string, hex?: string, name?: string) => {
      if (name !== undefined) return entities[name.toLowerCase()]!;
      const code = decimal === undefined ? parseInt(hex!, 16) : Number(decimal);
      return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : whole;
    },
  );
}

/** The words of a part, in one pass over it: a part may come from anybody, and be cut off anywhere. */
export function wordsOfXml(xml: string): string {
  const words: string[] = [];
  // The number in a cell that refers to a shared text says nothing; the text stands among the shared ones.
  let refers = false;
  let at = 0;
  while (at < xml.length) {
    const open = xml.indexOf('<', at);
    const text = xml.slice(at, open < 0 ? undefined : open);
    if (text !== '' && !refers) words.push(decode(text));
    if (open < 0) break;
    const close = xml.indexOf('>', open);
    if (close < 0) break;
    const tag = xml.slice(open + 1, close);
    const isEnd = tag.startsWith('/');
    const name = /^\/?([\w:]{1,40})/.exec(tag)?.[1] ?? '';
    if (name === 'c') refers = !isEnd && !tag.endsWith('/') && / t="s"/.test(tag);
    if (spaces.has(name)) words.push(' ');
    else if (lineEnds.has(name) && (isEnd || tag.endsWith('/'))) words.push('\n');
    at = close + 1;
  }
  return words.join('');
}

function read(stream: Readable, most: number): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = [];
    let size = 0;
    stream.on('data', (part: Buffer) => {
      parts.push(part);
      size += part.length;
      // Enough, however much more it would unpack to.
      if (size >= most) {
        stream.destroy();
        resolve(Buffer.concat(parts).subarray(0, most));
      }
    });
    stream.on('end', () => resolve(Buffer.concat(parts)));
    stream.on('error', reject);
  });
}

/**
 * The words of an office document, of its beginning where it is long: `most` is how many bytes of its parts are unpacked at
 * the most. Rejects with an Error when it is no archive or is damaged.
 */
export function officeText(bytes: Buffer, mediaType: string, most: number): Promise<string> {
  const wanted = partsOf[mediaType]!;
  return withZip(bytes, async (parts) => {
    const words: string[] = [];
    let left = most;
    for await (const part of parts) {
      if (left <= 0) break;
      if (!wanted.test(part.name)) continue;
      const unpacked = await read(await part.open(), left);
      words.push(wordsOfXml(unpacked.toString('utf8')));
      left -= unpacked.length;
    }
    return words.join('\n');
  });
}

import type { Readable } from 'node:stream';
import { StringDecoder } from 'node:string_decoder';
import { SaxesParser } from 'saxes';
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

/** What is wrong with a part is passed over a million times if need be: no error is made anew each time. */
const passedOver = new Error('not well-formed');
class Lenient extends SaxesParser {
  override makeError(): Error {
    return passedOver;
  }
}

/** A parser that puts words together as a part comes in. What is not well-formed is passed over: a part may come from anybody. */
function wordsParser(): { write(xml: string): void; end(): string } {
  const words: string[] = [];
  // The number in a cell that refers to a shared text says nothing; the text stands among the shared ones.
  let refers = false;
  const add = (text: string): void => {
    if (!refers) words.push(text);
  };
  const parser = new Lenient({ fragment: true });
  parser.on('error', () => undefined);
  parser.on('opentag', ({ name, attributes }) => {
    if (name === 'c') refers = attributes['t'] === 's';
    if (spaces.has(name)) words.push(' ');
  });
  parser.on('closetag', ({ name }) => {
    if (name === 'c') refers = false;
    if (lineEnds.has(name)) words.push('\n');
  });
  parser.on('text', add);
  parser.on('cdata', add);
  return {
    write: (xml) => void parser.write(xml),
    end: () => {
      parser.close();
      return words.join('');
    },
  };
}

/** The words of a part that is there as a whole. */
export function wordsOfXml(xml: string): string {
  const parser = wordsParser();
  parser.write(xml);
  return parser.end();
}

/** The words of a part as it is unpacked, of `most` bytes of it at the most, however much more it would be. */
async function wordsOfPart(stream: Readable, most: number): Promise<{ words: string; size: number }> {
  const parser = wordsParser();
  const decoder = new StringDecoder('utf8');
  let size = 0;
  for await (const chunk of stream) {
    const part = (chunk as Buffer).subarray(0, most - size);
    size += part.length;
    parser.write(decoder.write(part));
    if (size >= most) break;
  }
  return { words: parser.end(), size };
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
      const found = await wordsOfPart(await part.open(), left);
      words.push(found.words);
      left -= found.size;
    }
    return words.join('\n');
  });
}

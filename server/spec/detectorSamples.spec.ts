import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { PDFDocument, StandardFonts } from '@cantoo/pdf-lib';
import { compileDetector, passesCheck, type Sign } from '@key-cellar/core/criteria';
import { packTar } from 'modern-tar';
import pino from 'pino';
import { ZipFile } from 'yazl';
import { recogniser } from '../src/records/recogniser.js';
import { wordsIn } from '../src/records/texts.js';
import { unreadWords, wordsOfDocument } from '../src/records/documentText.js';
import { pageDrawer, type PageDrawer } from '../src/records/pages.js';
import { inEnglish } from '../src/kernel/index.js';

/** Numbers from a seed, so that a run can be had again (Park and Miller 1988). */
function lot(seed: number): (below: number) => number {
  let state = seed;
  return (below) => (state = (state * 48_271) % 2_147_483_647) % below;
}

const zipOf = async (files: Readonly<Record<string, Buffer | string>>): Promise<Buffer> => {
  const zip = new ZipFile();
  for (const [name, bytes] of Object.entries(files)) zip.addBuffer(Buffer.from(bytes), name);
  zip.end();
  const chunks: Buffer[] = [];
  for await (const chunk of zip.outputStream) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
};
const escaped = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
const openXml = 'application/vnd.openxmlformats-officedocument';
const docx = (text: string): Promise<Buffer> =>
  zipOf({
    '[Content_Types].xml': `<Types><Override PartName="/word/document.xml" ContentType="${openXml}.wordprocessingml.document.main+xml"/></Types>`,
    'word/document.xml': `<w:document xmlns:w="w"><w:body>${text
      .split('\n')
      .map((line) => `<w:p><w:r><w:t>${escaped(line)}</w:t></w:r></w:p>`)
      .join('')}</w:body></w:document>`,
  });
const xlsx = (text: string): Promise<Buffer> =>
  zipOf({
    '[Content_Types].xml': `<Types><Override PartName="/xl/workbook.xml" ContentType="${openXml}.spreadsheetml.sheet.main+xml"/></Types>`,
    'xl/sharedStrings.xml': `<sst><si><t>${escaped(text)}</t></si></sst>`,
    'xl/worksheets/sheet1.xml': '<worksheet><sheetData><row><c t="s"><v>0</v></c></row></sheetData></worksheet>',
  });
const odt = (text: string): Promise<Buffer> =>
  zipOf({
    mimetype: 'application/vnd.oasis.opendocument.text',
    'content.xml': `<office:document-content><text:p>${escaped(text).replaceAll('\n', '<text:line-break/>')}</text:p></office:document-content>`,
  });
async function pdf(text: string): Promise<Buffer> {
  const document = await PDFDocument.create();
  const font = await document.embedFont(StandardFonts.Helvetica);
  const page = document.addPage([595, 842]);
  text.split('\n').forEach((line, i) => page.drawText(line, { x: 40, y: 780 - i * 16, size: 11, font }));
  return Buffer.from(await document.save());
}
const base64 = (bytes: Buffer | string): string => Buffer.from(bytes).toString('base64').replace(/.{76}/g, '$&\r\n');
const quoted = (text: string): string =>
  [...Buffer.from(text)]
    .map((b) => (b === 10 ? '\r\n' : `=${b.toString(16).toUpperCase().padStart(2, '0')}`))
    .join('')
    .replace(/((?:=..){24})/g, '$1=\r\n');
const mail = (type: string, encoding: string, body: string): string =>
  `From: a@example.org\r\nTo: b@example.org\r\nSubject: A letter\r\nMIME-Version: 1.0\r\nContent-Type: ${type}; charset=utf-8\r\nContent-Transfer-Encoding: ${encoding}\r\n\r\n${body}\r\n`;
const mailWith = (name: string, type: string, bytes: Buffer): string =>
  `From: a@example.org\r\nSubject: With an attachment\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary="b"\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nSee what is attached.\r\n--b\r\nContent-Type: ${type}; name="${name}"\r\nContent-Disposition: attachment; filename="${name}"\r\nContent-Transfer-Encoding: base64\r\n\r\n${base64(bytes)}\r\n--b--\r\n`;

/** How a text comes to us: its bytes and media type. `latin`: only letters of ISO 8859-1 can be written in it. */
const formats: Readonly<Record<string, { latin?: boolean; make(text: string): Promise<{ bytes: Buffer; mediaType: string }> }>> = {
  'text in UTF-8': { make: (text) => Promise.resolve({ bytes: Buffer.from(text), mediaType: 'text/plain' }) },
  'text in UTF-16': {
    make: (text) => Promise.resolve({ bytes: Buffer.from(`\ufeff${text}`, 'utf16le'), mediaType: 'application/octet-stream' }),
  },
  'a page': {
    make: (text) =>
      Promise.resolve({
        bytes: Buffer.from(
          `<!doctype html><html><body><p>${escaped(text).replaceAll('1', '&#49;').replaceAll('\n', '<br>\n')}</p></body></html>`,
        ),
        mediaType: 'text/html',
      }),
  },
  PDF: { latin: true, make: async (text) => ({ bytes: await pdf(text), mediaType: 'application/pdf' }) },
  'a letter (DOCX)': { make: async (text) => ({ bytes: await docx(text), mediaType: `${openXml}.wordprocessingml.document` }) },
  'a sheet (XLSX)': { make: async (text) => ({ bytes: await xlsx(text), mediaType: `${openXml}.spreadsheetml.sheet` }) },
  'a letter (ODT)': { make: async (text) => ({ bytes: await odt(text), mediaType: 'application/vnd.oasis.opendocument.text' }) },
  'mail, Base64': {
    make: (text) => Promise.resolve({ bytes: Buffer.from(mail('text/plain', 'base64', base64(text))), mediaType: 'message/rfc822' }),
  },
  'mail, quoted-printable HTML': {
    make: (text) =>
      Promise.resolve({
        bytes: Buffer.from(mail('text/html', 'quoted-printable', quoted(`<p>${escaped(text).replaceAll('\n', '<br>')}</p>`))),
        mediaType: 'message/rfc822',
      }),
  },
  'mail with a letter': {
    make: async (text) => ({
      bytes: Buffer.from(mailWith('letter.docx', `${openXml}.wordprocessingml.document`, await docx(text))),
      mediaType: 'message/rfc822',
    }),
  },
  'mail with a PDF': {
    latin: true,
    make: async (text) => ({ bytes: Buffer.from(mailWith('scan.pdf', 'application/pdf', await pdf(text))), mediaType: 'message/rfc822' }),
  },
  'an archive (ZIP)': {
    make: async (text) => ({ bytes: await zipOf({ 'a/letter.txt': text, 'b.txt': 'nothing' }), mediaType: 'application/zip' }),
  },
  'an archive in an archive': {
    make: async (text) => {
      const inner = await zipOf({ 'letter.docx': await docx(text) });
      const tar = await packTar([{ header: { name: 'all.zip', size: inner.length }, body: new Uint8Array(inner) }]);
      return { bytes: gzipSync(tar), mediaType: 'application/gzip' };
    },
  },
};

const log = pino({ level: 'silent' });
const recognising = recogniser('eng', log);
let pages: PageDrawer;

/** A page with a text as a scanner sees it: a picture. */
async function scanOf(text: string): Promise<Buffer> {
  const bytes = await pdf(text);
  const sha256 = createHash('sha256').update(bytes).digest();
  return Buffer.from(await pages.scan({ sha256, mediaType: 'application/pdf', load: () => Promise.resolve(bytes) }, 1));
}
/** Scanned pages in a document, behind pages that have text. */
async function scannedPdf(text: string, before: string | null): Promise<Buffer> {
  const document = await PDFDocument.load(await pdf(before ?? ''));
  if (before === null) document.removePage(0);
  const picture = await document.embedPng(await scanOf(text));
  document.addPage([595, 842]).drawImage(picture, { x: 0, y: 0, width: 595, height: 842 });
  return Buffer.from(await document.save());
}
const scans: typeof formats = {
  'a scan (PDF)': { latin: true, make: async (text) => ({ bytes: await scannedPdf(text, null), mediaType: 'application/pdf' }) },
  'a scan behind a letter (PDF)': {
    latin: true,
    make: async (text) => ({ bytes: await scannedPdf(text, 'A letter of one page, with an enclosure.'), mediaType: 'application/pdf' }),
  },
  'a picture (PNG)': { latin: true, make: async (text) => ({ bytes: await scanOf(text), mediaType: 'image/png' }) },
  'mail with a picture': {
    latin: true,
    make: async (text) => ({ bytes: Buffer.from(mailWith('scan.png', 'image/png', await scanOf(text))), mediaType: 'message/rfc822' }),
  },
};

const cards: Sign = { kind: 'pattern', pattern: '#### #### #### ####', check: 'luhn', atLeast: 1 };
const accounts: Sign = { kind: 'pattern', pattern: '@@## *', check: 'mod97', atLeast: 1 };

/** Numbers that nobody has: their check digits are worked out. */
function cardNumber(next: (below: number) => number): string {
  const body = `4${Array.from({ length: 14 }, () => next(10)).join('')}`;
  return body + [...'0123456789'].find((d) => passesCheck('luhn', body + d))!;
}
function accountNumber(next: (below: number) => number): string {
  const rest = Array.from({ length: 18 }, () => next(10)).join('');
  for (let check = 2; check < 99; check++) {
    const account = `XX${String(check).padStart(2, '0')}${rest}`;
    if (passesCheck('mod97', account)) return account;
  }
  throw new Error('No check digits fit.');
}
const inFours = (text: string, gap: string): string => text.match(/.{1,4}/g)!.join(gap);
const wide = (text: string): string => [...text].map((c) => String.fromCharCode(c.charCodeAt(0) + 0xfee0)).join('');
const arabic = (text: string): string => [...text].map((c) => (/\d/.test(c) ? String.fromCharCode(0x660 + Number(c)) : c)).join('');
const writings: readonly { latin: boolean; write(n: string): string }[] = [
  { latin: true, write: (n) => n },
  { latin: true, write: (n) => inFours(n, ' ') },
  { latin: true, write: (n) => inFours(n, '-') },
  { latin: true, write: (n) => `${inFours(n.slice(0, 8), ' ')}\n${inFours(n.slice(8), ' ')}` },
  { latin: true, write: (n) => inFours(n, '\u00a0') },
  { latin: false, write: (n) => inFours(n, '\u202f') },
  { latin: false, write: wide },
  { latin: false, write: (n) => inFours(arabic(n), ' ') },
  { latin: false, write: (n) => inFours(n, '\u2011') },
  { latin: false, write: (n) => [...n].join('\u200b') },
];
/** What looks like one and is none: a wrong check digit, zeros, dates, telephone numbers, parts of longer numbers. */
const misses: readonly ((next: (below: number) => number) => string)[] = [
  (next) =>
    inFours(
      cardNumber(next).replace(/.$/, (d) => String((Number(d) + 1) % 10)),
      ' ',
    ),
  () => '0000 0000 0000 0000',
  (next) => `on 2026-0${1 + next(9)}-1${next(10)} at 10:${10 + next(50)}`,
  (next) => `tel. +00 ${100 + next(900)} ${1000 + next(9000)}`,
  (next) => `${cardNumber(next)}0731`,
  (next) => accountNumber(next).replace(/.$/, (d) => String((Number(d) + 1) % 10)),
];

describe('detectors on made samples', () => {
  beforeAll(() => (pages = pageDrawer(log, 'server/assets')));
  afterAll(() => pages.stop());

  /** Reads as the server does, with nothing kept. */
  const read = (bytes: Buffer, mediaType: string): ReturnType<typeof wordsIn> => {
    const services = {
      pages,
      log,
      recogniser: recognising,
      reading: { run: (_: unknown, given: Parameters<typeof wordsOfDocument>[0]) => wordsOfDocument(given) },
      contents: {
        async *readWhole() {
          yield bytes;
        },
        async *read(_db: unknown, _id: string, from: number, to: number) {
          yield bytes.subarray(from, to);
        },
        recognised: () => Promise.resolve(null),
        keepRecognised: () => Promise.resolve(),
      },
    };
    const sha256 = createHash('sha256').update(bytes).digest();
    return wordsIn(services as never, { content_id: 'x', sha256, size: bytes.length, media_type: mediaType });
  };
  const wordsOf = async (bytes: Buffer, mediaType: string): Promise<string> => (await read(bytes, mediaType)).text;

  it('miss none in any format, and take hardly anything else', async () => {
    const next = lot(20_261_129);
    const look = compileDetector([cards, accounts]);
    const table: string[] = [];
    let samples = 0;
    const all = { hit: 0, missed: 0, wrong: 0 };
    for (const [name, { latin = false, make }] of Object.entries({ ...formats, ...scans })) {
      const samplesHere = name in scans ? 6 : 30;
      const here = { hit: 0, missed: 0, wrong: 0 };
      const usable = writings.filter((w) => w.latin || !latin);
      for (let i = 0; i < samplesHere; i++) {
        const real = i % 2 === 0;
        const number = i % 4 < 2 ? cardNumber(next) : accountNumber(next);
        const said = real ? usable[Math.floor(i / 2) % usable.length]!.write(number) : misses[Math.floor(i / 2) % misses.length]!(next);
        const { bytes, mediaType } = await make(
          `Dear Sir or Madam,\nplease note ${said} for our files.\nYours, ${'the office '.repeat(next(20))}`,
        );
        const { met } = look(await wordsOf(bytes, mediaType));
        samples++;
        if (real && met) here.hit++;
        else if (real) here.missed++;
        else if (met) here.wrong++;
      }
      table.push(
        `${name.padEnd(30)} recall ${(here.hit / (here.hit + here.missed)).toFixed(3)}  precision ${(here.hit / (here.hit + here.wrong)).toFixed(3)}`,
      );
      expect(here.missed).withContext(name).toBe(0);
      for (const key of ['hit', 'missed', 'wrong'] as const) all[key] += here[key];
    }
    const precision = all.hit / (all.hit + all.wrong);
    process.stdout.write(
      `\n${samples} samples, ${Object.keys({ ...formats, ...scans }).length} formats\n${table.join('\n')}\nall: precision ${precision.toFixed(3)}\n`,
    );
    expect(samples).toBeGreaterThanOrEqual(300);
    expect(precision).toBeGreaterThan(0.98);
  }, 900_000);

  it('say what they could not read, wherever it lies', async () => {
    const png = Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex');
    const letter = mailWith('photo.png', 'image/png', png);
    let nested = await zipOf({ 'deepest.txt': 'x' });
    for (let i = 0; i < 6; i++) nested = await zipOf({ [`in${i}.zip`]: nested });
    const empty = await PDFDocument.create();
    empty.addPage([100, 100]);
    const cases: [string, Buffer, string, string[]][] = [
      ['mail', Buffer.from(letter), 'message/rfc822', ['photo.png: a picture, no words were recognized in it.']],
      ['a picture', png, 'image/png', ['A picture: no words were recognized in it.']],
      [
        'a program',
        Buffer.from([0x7f, 0x45, 0x4c, 0x46, 0, 1, 2, 3, 0xff, 0xfe]),
        'application/x-elf',
        ['Nothing here reads files of this kind.'],
      ],
      ['a broken letter', Buffer.from('PK no'), `${openXml}.wordprocessingml.document`, ['Damaged, or not what it says it is.']],
      ['a broken archive', Buffer.from('PK no'), 'application/zip', ['Damaged, or not what it says it is.']],
      ['too deep', nested, 'application/zip', ['in5.zip › in4.zip › in3.zip › in2.zip › in1.zip › in0.zip: lies deeper than is opened.']],
      ['a long text', Buffer.from('x'.repeat(1_000_001)), 'text/plain', ['Longer than is read: only its beginning was.']],
      [
        'many parts',
        await zipOf(Object.fromEntries(Array.from({ length: 2001 }, (_, i) => [`${i}.txt`, 'x']))),
        'application/zip',
        ['More parts than are opened.'],
      ],
      ['more than it says', gzipSync(Buffer.alloc(70_000_000)), 'application/gzip', ['Larger than is opened.']],
    ];
    for (const [name, bytes, mediaType, expected] of cases) {
      const { unread } = await read(bytes, mediaType);
      expect(unread.map((u) => inEnglish(unreadWords(u))))
        .withContext(name)
        .toEqual(expected);
    }
  }, 60_000);
});

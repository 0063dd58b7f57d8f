import { once } from 'node:events';
import { Readable } from 'node:stream';
import { ZipFile } from 'yazl';

/** Rows that a sheet may have (ECMA-376 as spreadsheets keep it); what is more goes on in another sheet. */
const mostRows = 1_048_576;

const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const relations = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const packaged = 'http://schemas.openxmlformats.org/package/2006';
const parts = 'application/vnd.openxmlformats-officedocument.spreadsheetml';

/** Style 0 is plain, style 1 is bold. */
const styles = `${head}<styleSheet xmlns="${main}"><fonts count="2"><font><sz val="11"/></font><font><b/><sz val="11"/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="2"><xf xfId="0"/><xf xfId="0" fontId="1" applyFont="1"/></cellXfs></styleSheet>`;

const escapes: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', _: '_x005F_' };
/** As XML and spreadsheets read it: `_x` begins an escape of theirs (ECMA-376 §22.9.2.19), and some characters XML has no way to write. */
const escaped = (text: string): string =>
  text.replace(
    /[&<>]|_(?=x[0-9A-Fa-f]{4}_)|[\u0000-\u0008\u000B\u000C\u000E-\u001F\uFFFE\uFFFF]|\p{Cs}/gu,
    (found) => escapes[found] ?? '\uFFFD',
  );

/** A, B … Z, AA … */
function letters(column: number): string {
  const [more, last] = [Math.floor(column / 26), String.fromCharCode(65 + (column % 26))];
  return more === 0 ? last : letters(more - 1) + last;
}

/**
 * A workbook (ECMA-376) of texts, written as its lines come: no more than a few of them are ever held. Each sheet begins with the names of the
 * columns, in bold. `batches` gives lines of cells, as many at a time as it likes.
 */
export async function* workbook(
  columns: readonly string[],
  batches: AsyncIterable<readonly (readonly string[])[]>,
): AsyncGenerator<Uint8Array> {
  const zip = new ZipFile();
  const names = columns.map((_, i) => letters(i));
  const source = batches[Symbol.asyncIterator]();
  const rowOf = (no: number, cells: readonly string[], style: string): string =>
    `<row r="${no}">${cells.map((text, i) => (text === '' ? '' : `<c r="${names[i]}${no}" t="inlineStr"${style}><is><t xml:space="preserve">${escaped(text)}</t></is></c>`)).join('')}</row>`;
  /** Lines that came and did not fit the sheet before. */
  let over: readonly (readonly string[])[] = [];
  let ended = false;
  let sheets = 0;

  async function* sheet(): AsyncGenerator<string> {
    yield `${head}<worksheet xmlns="${main}"><sheetData>${rowOf(1, columns, ' s="1"')}`;
    let no = 1;
    while (no < mostRows && !(ended && over.length === 0)) {
      if (over.length === 0) {
        const next = await source.next();
        if (next.done) ended = true;
        else over = next.value;
        continue;
      }
      const fits = over.slice(0, mostRows - no);
      over = over.slice(fits.length);
      yield fits.map((cells) => rowOf(++no, cells, '')).join('');
    }
    yield '</sheetData></worksheet>';
    // Whether there is a line more is known only now.
    if (!ended && over.length === 0) {
      const next = await source.next();
      if (next.done) ended = true;
      else over = next.value;
    }
    if (ended && over.length === 0) close();
    else addSheet();
  }

  let current: Readable | undefined;
  function addSheet(): void {
    current = Readable.from(sheet());
    zip.addReadStream(current, `xl/worksheets/sheet${++sheets}.xml`);
  }

  function close(): void {
    const all = Array.from({ length: sheets }, (_, i) => i + 1);
    const add = (name: string, text: string): void => zip.addBuffer(Buffer.from(text), name);
    add('xl/styles.xml', styles);
    add(
      'xl/workbook.xml',
      `${head}<workbook xmlns="${main}" xmlns:r="${relations}"><sheets>${all.map((n) => `<sheet name="${n}" sheetId="${n}" r:id="s${n}"/>`).join('')}</sheets></workbook>`,
    );
    add(
      'xl/_rels/workbook.xml.rels',
      `${head}<Relationships xmlns="${packaged}/relationships">${all.map((n) => `<Relationship Id="s${n}" Type="${relations}/worksheet" Target="worksheets/sheet${n}.xml"/>`).join('')}<Relationship Id="styles" Type="${relations}/styles" Target="styles.xml"/></Relationships>`,
    );
    add(
      '_rels/.rels',
      `${head}<Relationships xmlns="${packaged}/relationships"><Relationship Id="book" Type="${relations}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
    );
    add(
      '[Content_Types].xml',
      `${head}<Types xmlns="${packaged}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="${parts}.sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="${parts}.styles+xml"/>${all.map((n) => `<Override PartName="/xl/worksheets/sheet${n}.xml" ContentType="${parts}.worksheet+xml"/>`).join('')}</Types>`,
    );
    zip.end();
  }

  const out = zip.outputStream as Readable;
  zip.on('error', (error: Error) => out.destroy(error));
  addSheet();
  try {
    for await (const chunk of out) yield chunk as Uint8Array;
  } finally {
    // Whoever took it may have left in the middle.
    if (current && !current.closed) {
      const closed = once(current, 'close');
      current.destroy();
      await closed;
    }
    await source.return?.();
  }
}

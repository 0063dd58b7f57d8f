import { ZipFile } from 'yazl';
import { isOffice, officeText, wordsOfXml } from './officeText.js';

const word = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document';
const sheet = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';
const odt = 'application/vnd.oasis.opendocument.text';
const most = 100_000;

async function zip(parts: Record<string, string | Buffer>): Promise<Buffer> {
  const file = new ZipFile();
  for (const [name, content] of Object.entries(parts)) file.addBuffer(Buffer.from(content), name);
  file.end();
  const chunks: Buffer[] = [];
  for await (const chunk of file.outputStream) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}
const tidy = (text: string): string => text.replace(/\s+/g, ' ').trim();

describe('the words of an office document', () => {
  it('are those of its paragraphs, joined where only the looks change within a word', async () => {
    const bytes = await zip({
      'word/document.xml':
        '<w:p><w:r><w:t>Card 41</w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>11 1111</w:t></w:r></w:p><w:p><w:t>Tull &amp; S&#248;n</w:t><w:tab/><w:t>7</w:t></w:p>',
      'word/footer1.xml': '<w:p><w:t>Page one</w:t></w:p>',
      'word/styles.xml': '<w:t>no words</w:t>',
    });
    expect(await officeText(bytes, word, most)).toBe('Card 4111 1111\nTull & S\u00f8n 7\n\nPage one\n');
  });

  it('are those of cells, each by itself, and of shared texts, not the numbers that refer to them', async () => {
    const bytes = await zip({
      'xl/sharedStrings.xml': '<sst><si><t>Account</t></si><si><t>DE89</t></si></sst>',
      'xl/worksheets/sheet1.xml': '<row><c r="A1" t="s"><v>4111</v></c><c r="B1"><v>12</v></c><c r="C1"/><c r="D1"><v>34</v></c></row>',
    });
    const text = await officeText(bytes, sheet, most);
    expect(tidy(text)).toBe('Account DE89 12 34');
    expect(text).toMatch(/12\s*\n\s*34/);
  });

  it('are those of an OpenDocument text', async () => {
    const bytes = await zip({ 'content.xml': '<text:h>Notice</text:h><text:p>to<text:s/>mariners</text:p>', 'meta.xml': '<a>x</a>' });
    expect(tidy(await officeText(bytes, odt, most))).toBe('Notice to mariners');
    expect(isOffice(odt) && isOffice(word) && !isOffice('application/zip')).toBeTrue();
  });

  it('end where enough was unpacked, whatever else there is', async () => {
    const bomb = await zip({ 'word/document.xml': Buffer.alloc(200_000_000, 'a'), 'word/footer1.xml': 'never read' });
    expect(bomb.length).toBeLessThan(1_000_000);
    const before = process.memoryUsage().rss;
    const text = await officeText(bomb, word, most);
    expect(text.length).toBe(most);
    expect(process.memoryUsage().rss - before).toBeLessThan(50_000_000);
  });

  it('are not found in what is damaged', async () => {
    const whole = await zip({ 'word/document.xml': '<w:p><w:t>Card</w:t></w:p>'.repeat(1000) });
    await expectAsync(officeText(Buffer.from('PK no archive'), word, most)).toBeRejected();
    await expectAsync(officeText(whole.subarray(0, whole.length - 30), word, most)).toBeRejected();
    const bent = Buffer.from(whole);
    bent.fill(0xff, 60, 120);
    await expectAsync(officeText(bent, word, most)).toBeRejected();
  });

  it('are found in one pass, however a part was made to keep one busy', () => {
    const begin = performance.now();
    for (const piece of ['<c t="s"', '<', '&', '&#', '<w:p', '<c t="s">']) wordsOfXml(piece.repeat(500_000));
    expect(performance.now() - begin).toBeLessThan(20_000);
    expect(wordsOfXml('a &lt;b&gt; &#x41; &#0; &#99999999; &no; <w:t')).toBe('a <b> A &#0; &#99999999; &no; ');
  });
});

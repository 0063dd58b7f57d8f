import { gunzip } from 'node:zlib';
import { promisify } from 'node:util';
import { unpackTar } from 'modern-tar';
import PostalMime from 'postal-mime';
import { longestText } from '@key-cellar/core/criteria';
import { message, type Message } from '@key-cellar/words';
import { withZip } from '../kernel/index.js';
import { decodedText } from '../tables/index.js';
import { detectMediaType } from './mediaType.js';
import { isOffice, officeText } from './officeText.js';

/** Why something has no words here: none were recognised in a picture or scan, or it has more pages than are, locked, of a kind that nothing here reads, damaged, or more than is read. */
export type UnreadReason = 'picture' | 'scan' | 'pages' | 'locked' | 'kind' | 'damaged' | 'large' | 'long' | 'deep' | 'many';

/** A part of a content that was not read: where it lies (`mail.eml › scan.png`), null for the whole. */
export interface Unread {
  readonly part: string | null;
  readonly why: UnreadReason;
}

/** What was recognised in pictures and scans, and what has no words all the same. */
export interface Recognised {
  readonly text: string;
  readonly unread: readonly Unread[];
}

/** What a document says, what in it was not read, and the PDF documents and pictures in it, which another thread draws and reads. */
export interface DocumentWords {
  readonly text: string;
  readonly unread: readonly Unread[];
  readonly drawn: readonly { readonly part: string; readonly bytes: Uint8Array; readonly mediaType: string }[];
}

/** Why a part was not read, in words. */
export function unreadWords({ part, why }: Unread): Message {
  return message(`records.unread.${why}`, { whole: part === null ? 1 : 0, part: part ?? '' });
}

/** Bytes of text that are read: more letters than a detector looks at have no more. */
export const mostBytes = 4 * longestText;
/** Bytes that a document may unpack to, parts that it may have, and how deep they may lie in one another. */
const mostUnpacked = 64 * 1024 * 1024;
const mostParts = 2000;
const deepest = 5;

const zips = ['application/zip', 'application/x-zip-compressed'];
const texts = ['application/json', 'application/xml', 'application/x-ndjson', 'application/rtf', 'image/svg+xml'];
const markups = ['text/html', 'application/xml', 'application/xhtml+xml', 'image/svg+xml', 'text/xml'];
const isText = (mediaType: string): boolean => mediaType.startsWith('text/') || texts.includes(mediaType);

/** Whether words in it are recognised in a picture of it, or read by whoever can draw it. */
export const isDrawn = (mediaType: string): boolean =>
  mediaType === 'application/pdf' || (mediaType.startsWith('image/') && !isText(mediaType));

/** Whether the reader opens contents of a media type at all. */
export const isContainer = (mediaType: string): boolean =>
  isOffice(mediaType) ||
  mediaType === 'message/rfc822' ||
  zips.includes(mediaType) ||
  mediaType === 'application/gzip' ||
  mediaType === 'application/x-tar';

const named: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'", nbsp: '\u00a0' };

/** The words of a marked-up text. A tag may stand within a number; what it leaves is one space at most. */
function withoutMarkup(text: string): string {
  return text
    .replace(/<(script|style)\b[\s\S]*?<\/\1\s*>/gi, ' ')
    .replace(/<[^<>]*>/g, ' ')
    .replace(/&(?:#(\d{1,7})|#x([0-9a-f]{1,6})|([a-z]{2,6}));/gi, (all, ten?: string, hex?: string, name?: string) => {
      if (name !== undefined) return named[name.toLowerCase()] ?? all;
      const code = ten === undefined ? parseInt(hex!, 16) : Number(ten);
      return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : all;
    })
    .replace(/\s+/g, ' ');
}

/** The words of rich text: control words and groups taken out (RTF 1.9.1). */
function withoutControls(text: string): string {
  return text
    .replace(/\\'([0-9a-f]{2})/gi, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)))
    .replace(/\\u(-?\d{1,5}) ?\??/g, (_, code: string) => String.fromCharCode((Number(code) + 65536) % 65536))
    .replace(/\\(?:par|line|cell|row|page)\b ?/g, '\n')
    .replace(/\\[a-z]+-?\d* ?/gi, '')
    .replace(/[{}]/g, '');
}

class Reader {
  private readonly words: string[] = [];
  private readonly unread: Unread[] = [];
  private readonly drawn: { part: string; bytes: Uint8Array; mediaType: string }[] = [];
  private unpacked = 0;
  private parts = 0;
  private letters = 0;

  async read(bytes: Buffer, mediaType: string): Promise<DocumentWords> {
    await this.part(bytes, mediaType, []);
    return { text: this.words.join('\n\n'), unread: this.unread, drawn: this.drawn };
  }

  private add(text: string, way: readonly string[]): void {
    if (this.letters + text.length > longestText) this.miss(way, 'long');
    this.words.push(text.slice(0, Math.max(0, longestText - this.letters)));
    this.letters += text.length;
  }

  private miss(way: readonly string[], why: UnreadReason): void {
    const part = way.length === 0 ? null : way.join(' › ');
    if (!this.unread.some((u) => u.part === part && u.why === why)) this.unread.push({ part, why });
  }

  private async part(bytes: Buffer, mediaType: string, way: readonly string[]): Promise<void> {
    try {
      if (isDrawn(mediaType)) this.drawn.push({ part: way.join(' › '), bytes, mediaType });
      else if (isOffice(mediaType)) this.add(await officeText(bytes, mediaType, mostBytes), way);
      else if (mediaType === 'message/rfc822') await this.mail(bytes, way);
      else if (zips.includes(mediaType)) await this.zip(bytes, way);
      else if (mediaType === 'application/gzip') await this.gzip(bytes, way);
      else if (mediaType === 'application/x-tar') await this.tar(bytes, way);
      else if (isText(mediaType)) this.text(bytes, mediaType, way);
      else if (decodedText(bytes.subarray(0, 4096)).wide) this.text(bytes, 'text/plain', way);
      else this.miss(way, 'kind');
    } catch (error) {
      this.miss(way, /encrypted/i.test(String(error)) ? 'locked' : 'damaged');
    }
  }

  private text(bytes: Buffer, mediaType: string, way: readonly string[]): void {
    if (bytes.length > mostBytes) this.miss(way, 'long');
    const { text } = decodedText(bytes.subarray(0, mostBytes));
    const plain = markups.includes(mediaType) ? withoutMarkup(text) : mediaType.endsWith('rtf') ? withoutControls(text) : text;
    this.add(plain, way);
  }

  /** A part inside another one: what it is, is told by its bytes. */
  private async inside(bytes: Buffer, name: string, way: readonly string[], told?: string): Promise<void> {
    const inner = [...way, name || '?'];
    if (++this.parts > mostParts) return this.miss(way, 'many');
    if (inner.length > deepest) return this.miss(inner, 'deep');
    const found = await detectMediaType(bytes, name);
    // Mail says itself what its attachments are, where the bytes do not tell.
    const mediaType = found === 'text/plain' || found === 'application/octet-stream' ? (told === 'message/rfc822' ? told : found) : found;
    await this.part(bytes, mediaType, inner);
  }

  private room(size: number, way: readonly string[]): boolean {
    this.unpacked += size;
    if (this.unpacked <= mostUnpacked) return true;
    this.miss(way, 'large');
    return false;
  }

  private async mail(bytes: Buffer, way: readonly string[]): Promise<void> {
    const mail = await PostalMime.parse(bytes, { attachmentEncoding: 'arraybuffer' });
    const body = [mail.text ?? '', mail.html ? withoutMarkup(mail.html) : ''].filter((text) => text.trim() !== '');
    this.add([mail.subject ?? '', ...body].join('\n\n'), way);
    for (const { filename, mimeType, content } of mail.attachments) {
      const inner = typeof content === 'string' ? Buffer.from(content) : Buffer.from(new Uint8Array(content));
      if (!this.room(inner.length, way)) return;
      await this.inside(inner, filename ?? '', way, mimeType);
    }
  }

  private async zip(bytes: Buffer, way: readonly string[]): Promise<void> {
    await withZip(bytes, async (parts) => {
      for await (const part of parts) {
        if (part.name.endsWith('/')) continue;
        try {
          const chunks: Buffer[] = [];
          let size = 0;
          for await (const chunk of await part.open()) {
            chunks.push(chunk as Buffer);
            size += (chunk as Buffer).length;
            // What it says that it unpacks to is not believed.
            if (this.unpacked + size > mostUnpacked) break;
          }
          if (!this.room(size, [...way, part.name])) return;
          await this.inside(Buffer.concat(chunks), part.name, way);
        } catch (error) {
          this.miss([...way, part.name], /encrypted/i.test(String(error)) ? 'locked' : 'damaged');
        }
      }
    });
  }

  private async gzip(bytes: Buffer, way: readonly string[]): Promise<void> {
    const most = mostUnpacked - this.unpacked;
    const inner = await promisify(gunzip)(bytes, { maxOutputLength: Math.max(1, most) }).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ERR_BUFFER_TOO_LARGE') return null;
      throw error;
    });
    if (inner === null) return this.miss(way, 'large');
    if (this.room(inner.length, way)) await this.inside(inner, (way.at(-1) ?? 'content').replace(/\.(gz|tgz)$/i, ''), way);
  }

  private async tar(bytes: Buffer, way: readonly string[]): Promise<void> {
    for (const { header, data } of await unpackTar(bytes)) {
      if (!data || data.length === 0) continue;
      if (!this.room(data.length, [...way, header.name])) return;
      await this.inside(Buffer.from(data), header.name, way);
    }
  }
}

/** The words of a document and of all that lies in it: attachments, archives, documents in those. Runs in a thread that can be ended. */
export function wordsOfDocument({ bytes, mediaType }: { readonly bytes: Uint8Array; readonly mediaType: string }): Promise<DocumentWords> {
  return new Reader().read(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), mediaType);
}

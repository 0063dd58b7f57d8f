import { message } from '@key-cellar/words';
import { buffer } from 'node:stream/consumers';
import { readAs } from '@key-cellar/core/records';
import * as z from 'zod';
import { notFound, Problem } from '../kernel/index.js';
import type { Services } from './services.js';
import type { Extent, Showable } from './pages.js';

/** A stored content, as records' versions and arrivals have it. */
export interface StoredRow {
  readonly content_id: string;
  readonly sha256: Buffer;
  readonly size: number;
  readonly media_type: string;
}

/** Served into a sandbox: whatever it is, it runs nothing and reaches nothing. */
export const sandboxPolicy = "sandbox; default-src 'none'; img-src data:; style-src 'unsafe-inline'; frame-ancestors 'self'";
/** Longer text is not shown on screen. */
const longestText = 4 * 1024 * 1024;

/** All bytes of a content, checked against its fingerprint. */
export const readWhole = (services: Services, content: StoredRow): Promise<Buffer> =>
  buffer(services.contents.readWhole(services.pool, { ...content, id: content.content_id }));

function showable(services: Services, content: StoredRow): Showable {
  const as = readAs(content.media_type);
  if (as === 'nothing') throw notFound(message('thing.pictureContent'));
  if (as === 'text' && content.size > longestText) throw new Problem(409, 'long-text', message('records.longText'));
  return { sha256: content.sha256, mediaType: content.media_type, load: () => readWhole(services, content) };
}

/** How many pages a content has, and their proportion. Throws 404 for what is not shown as pictures. */
export function extentOf(services: Services, content: StoredRow): Promise<Extent> {
  return services.pages.extent(showable(services, content));
}

/** What stands all over a page: who it was shown to, and the minute of the repository’s clock. */
export function readerMark(name: string, { offsetDays, timeZone }: { readonly offsetDays: number; readonly timeZone: string }): string {
  const now = new Date(Date.now() + offsetDays * 86_400_000);
  return `${name} · ${new Intl.DateTimeFormat('sv-SE', { timeZone, dateStyle: 'short', timeStyle: 'short' }).format(now)}`;
}

/** The picture of a page, by its number in the address; with a mark all over it, if asked for. */
export async function pictureOf(services: Services, content: StoredRow, page: string | undefined, mark?: string): Promise<Response> {
  const no = z.coerce.number().int().min(1).max(100_000).safeParse(page);
  if (!no.success) throw notFound(message('thing.page'));
  const png = await services.pages.picture(showable(services, content), no.data, mark);
  return new Response(new Uint8Array(png), { headers: { 'content-type': 'image/png', 'x-content-type-options': 'nosniff' } });
}

/** Text as text, for those who may take a copy; everybody else sees pictures of it. */
export async function textOf(services: Services, content: StoredRow): Promise<Response> {
  if (readAs(content.media_type) !== 'text') {
    throw new Problem(409, 'no-text', message('records.noText'));
  }
  if (content.size > longestText) throw new Problem(409, 'long-text', message('records.longText'));
  return new Response(new Uint8Array(await readWhole(services, content)), {
    headers: {
      'content-type': content.media_type.startsWith('text/') ? `${content.media_type}; charset=utf-8` : content.media_type,
      'content-security-policy': sandboxPolicy,
      'content-disposition': 'inline',
      'x-content-type-options': 'nosniff',
    },
  });
}

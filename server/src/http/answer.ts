import { createHash } from 'node:crypto';
import { promisify } from 'node:util';
import { brotliCompress, constants, gzip } from 'node:zlib';
import { accepts } from 'hono/accepts';
import type { HttpContext } from './context.js';

const brotli = promisify(brotliCompress);
const zip = promisify(gzip);

/** What is shorter goes as it is: it fits a packet or two either way. In characters. */
const worthwhile = 4096;

/** Quick rather than small: an answer is made once and read once. */
const encode = {
  br: (text: string) => brotli(text, { params: { [constants.BROTLI_PARAM_QUALITY]: 4, [constants.BROTLI_PARAM_SIZE_HINT]: text.length } }),
  gzip: (text: string) => zip(text, { level: 4 }),
};
type Encoding = keyof typeof encode;

/** The best of ours that is read at all: browsers name what they read in no order. */
const best: NonNullable<Parameters<typeof accepts>[1]['match']> = (asked, { supports, default: otherwise }) =>
  supports.find((one) => asked.some(({ type, q }) => type === one && q > 0)) ?? otherwise;

/** Whether what the browser keeps is still what would be sent (RFC 9110 §13.1.2). */
const isKnown = (context: HttpContext, tag: string): boolean =>
  (context.req.header('if-none-match') ?? '').split(',').some((known) => known.trim() === tag);

interface Packed {
  readonly text: string;
  tag?: string;
  readonly encoded: Map<Encoding, Promise<Buffer>>;
}

/** What frozen answers were packed into: who hands out one that never changes has it packed once. */
const packed = new WeakMap<object, Packed>();

function pack(value: unknown): Packed {
  const lasting = typeof value === 'object' && value !== null && Object.isFrozen(value);
  const before = lasting ? packed.get(value) : undefined;
  if (before) return before;
  const made: Packed = { text: JSON.stringify(value), encoded: new Map() };
  if (lasting) packed.set(value, made);
  return made;
}

/**
 * An answer in JSON, compressed when it is long and whoever asked can read that. What is `kept` a browser may keep for this
 * person, and ask next time whether it has changed (RFC 9110 §8.8.3, weak: the words and not the bytes); all else it
 * keeps nowhere.
 */
export async function jsonAnswer(context: HttpContext, value: unknown, kept = false): Promise<Response> {
  const answer = pack(value);
  const { text } = answer;
  context.header('content-type', 'application/json');
  if (kept) {
    const tag = (answer.tag ??= `W/"${createHash('sha256').update(text).digest('base64url')}"`);
    context.header('etag', tag);
    context.header('cache-control', 'private, no-cache');
    context.header('vary', 'Cookie, Accept-Language', { append: true });
    if (isKnown(context, tag)) return context.body(null, 304);
  }
  if (text.length < worthwhile) return context.body(text);
  context.header('vary', 'Accept-Encoding', { append: true });
  const encoding = accepts(context, { header: 'Accept-Encoding', supports: ['br', 'gzip'], default: 'identity', match: best });
  if (encoding === 'identity') return context.body(text);
  context.header('content-encoding', encoding);
  let bytes = answer.encoded.get(encoding as Encoding);
  if (!bytes) answer.encoded.set(encoding as Encoding, (bytes = encode[encoding as Encoding](text)));
  return context.body(new Uint8Array(await bytes));
}

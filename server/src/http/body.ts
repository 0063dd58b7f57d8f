import type { IncomingMessage } from 'node:http';
import { message, type Message } from '@key-cellar/words';
import { Problem } from '../kernel/index.js';

/** Lists and objects in one another; nothing in the contract needs more. */
const deepest = 64;
/** A connection that sends nothing for this long is given up; it would hold its transaction open. */
const silenceMs = 60_000;
/** One who sends less than this in the time that the server waited for it is given up too. */
const slowest = { bytes: 64 * 1024, inMs: 30_000 };

const tooLarge = (most: number): Problem => new Problem(413, 'too-large', message('http.tooLarge', { most: { bytes: most } }));

const tooSlow = (): Problem => new Problem(400, 'too-slow', message('http.tooSlow'));

/** How deep lists and objects of a JSON text stand in one another, found without building any of them (RFC 8259). */
export function jsonDepth(text: string): number {
  let depth = 0;
  let most = 0;
  let quoted = false;
  for (let at = 0; at < text.length; at++) {
    const sign = text[at];
    if (quoted) {
      if (sign === '\\') at++;
      else if (sign === '"') quoted = false;
    } else if (sign === '"') quoted = true;
    else if (sign === '[' || sign === '{') most = Math.max(most, ++depth);
    else if (sign === ']' || sign === '}') depth--;
  }
  return most;
}

/** What a sender sends, no more than `most` bytes. A connection that breaks on the way is the sender's affair, not the database's. */
async function* sent(incoming: IncomingMessage, most: number): AsyncGenerator<Uint8Array> {
  if (Number(incoming.headers['content-length'] ?? 0) > most) throw tooLarge(most);
  let size = 0;
  let waited = 0;
  let cameMeanwhile = 0;
  incoming.setTimeout(silenceMs, () => incoming.destroy(new Error('The sender went silent')));
  try {
    let since = Date.now();
    for await (const piece of incoming as AsyncIterable<Uint8Array>) {
      waited += Date.now() - since;
      cameMeanwhile += piece.length;
      size += piece.length;
      if (size > most) throw tooLarge(most);
      if (waited > slowest.inMs) {
        if (cameMeanwhile < slowest.bytes) throw tooSlow();
        waited = cameMeanwhile = 0;
      }
      yield piece;
      since = Date.now();
    }
  } catch (error) {
    if (error instanceof Problem) throw error;
    throw new Problem(400, 'upload-broken', message('http.uploadBroken'));
  }
}

/** The bytes of a request as they come; a parsed body would sit in memory. 413 for more than `most`. */
export function bytesOf(incoming: IncomingMessage, most: number): AsyncIterable<Uint8Array> {
  return sent(incoming, most);
}

/** The JSON of a request (RFC 8259): 413 for more than `most` bytes, 400 for what is none or too deep. */
export async function jsonOf(incoming: IncomingMessage, most: number): Promise<unknown> {
  const parts: Uint8Array[] = [];
  for await (const part of sent(incoming, most)) parts.push(part);
  if (parts.length === 0) return {};
  const notJson = (sentence: Message): Problem => new Problem(400, 'not-json', sentence);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(Buffer.concat(parts));
  } catch {
    throw notJson(message('http.notUtf8'));
  }
  if (jsonDepth(text) > deepest) throw notJson(message('http.tooDeep', { deepest }));
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw notJson(message('http.notJson'));
  }
}

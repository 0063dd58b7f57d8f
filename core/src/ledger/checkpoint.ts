import { base64, hex, utf8 } from '@scure/base';
import type { Sha256 } from './merkle.js';

/** What a tree says of itself to a witness: whose it is, how many leaves it has, and its root (32 bytes). */
export interface Checkpoint {
  readonly origin: string;
  readonly size: number;
  readonly root: Uint8Array;
}

/** A signature line of a note: who signed, four bytes that tell one key of theirs from another, and what they gave. */
interface NoteSignature {
  readonly name: string;
  readonly keyId: Uint8Array;
  readonly signature: Uint8Array;
}

export interface SignedNote {
  /** What is signed, with the newline at its end. */
  readonly text: string;
  readonly signatures: readonly NoteSignature[];
}

/** Kinds of signatures of a note (C2SP signed-note): Ed25519 by the log, and a witness's cosignature. */
export const noteKinds = { ed25519: 0x01, cosignature: 0x04 } as const;
export type NoteKind = (typeof noteKinds)[keyof typeof noteKinds];

/** Bytes of standard base64; null when the text is not what these bytes are written as (RFC 4648 §3.5, §4). */
function fromBase64(text: string): Uint8Array | null {
  try {
    return base64.decode(text);
  } catch {
    return null;
  }
}

const bytesOf = (...parts: readonly Uint8Array[]): Uint8Array => Uint8Array.from(parts.flatMap((part) => [...part]));

/** The text that log and witness sign (C2SP tlog-checkpoint): origin, size in decimal, root in base64, a line each. */
export function checkpointText({ origin, size, root }: Checkpoint): string {
  return `${origin}\n${size}\n${base64.encode(root)}\n`;
}

/** Reads a checkpoint; null when it is none. Lines after the third are extensions, and passed over. */
export function parseCheckpoint(text: string): Checkpoint | null {
  const [origin = '', size = '', encoded = '', ...rest] = text.split('\n');
  const root = fromBase64(encoded);
  const whole = rest.at(-1) === '' && rest.indexOf('') === rest.length - 1;
  if (!whole || origin === '' || !/^(0|[1-9]\d{0,15})$/.test(size) || !Number.isSafeInteger(Number(size)) || root?.length !== 32)
    return null;
  return { origin, size: Number(size), root };
}

/** The first four bytes of SHA-256(name ‖ "\n" ‖ kind ‖ public key): which key a line is by (C2SP signed-note). */
export function noteKeyId(name: string, kind: NoteKind, publicKey: Uint8Array, sha256: Sha256): Uint8Array {
  return sha256(bytesOf(utf8.decode(`${name}\n`), Uint8Array.of(kind), publicKey)).slice(0, 4);
}

/** A note: its text, an empty line, and a line for each signature (C2SP signed-note). */
export function noteText({ text, signatures }: SignedNote): string {
  const lines = signatures.map(({ name, keyId, signature }) => `— ${name} ${base64.encode(bytesOf(keyId, signature))}\n`);
  return `${text}\n${lines.join('')}`;
}

/** Reads a note; null when it is none, or when a line of it is no signature. */
export function parseNote(note: string): SignedNote | null {
  const split = note.lastIndexOf('\n\n');
  if (split < 0 || !note.endsWith('\n')) return null;
  const signatures: NoteSignature[] = [];
  for (const line of note.slice(split + 2, -1).split('\n')) {
    const match = /^— ([^ +\n]+) ([A-Za-z0-9+/]+=*)$/.exec(line);
    const bytes = match && fromBase64(match[2]!);
    if (!bytes || bytes.length <= 4) return null;
    signatures.push({ name: match[1]!, keyId: bytes.slice(0, 4), signature: bytes.slice(4) });
  }
  return { text: note.slice(0, split + 1), signatures };
}

/** What a witness signs: its time in seconds since 1970 and the whole checkpoint (C2SP tlog-cosignature). */
export function cosignedText(checkpoint: string, seconds: number): string {
  return `cosignature/v1\ntime ${seconds}\n${checkpoint}`;
}

/** A cosignature as it stands in a note: eight bytes of time, most significant first, then Ed25519's 64 (C2SP tlog-cosignature). */
export function cosignature(seconds: number, signature: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(8 + signature.length);
  new DataView(bytes.buffer).setBigUint64(0, BigInt(seconds));
  bytes.set(signature, 8);
  return bytes;
}

/** The time and the Ed25519 signature of a cosignature; null when it is not as long as one. */
export function readCosignature(bytes: Uint8Array): { readonly seconds: number; readonly signature: Uint8Array } | null {
  if (bytes.length !== 72) return null;
  const seconds = Number(new DataView(bytes.buffer, bytes.byteOffset).getBigUint64(0));
  return Number.isSafeInteger(seconds) ? { seconds, signature: bytes.slice(8) } : null;
}

/** A public key of 32 bytes as notes name it: name, key id in hex, kind and key in base64, with + between (C2SP signed-note). */
export function verifierKey(name: string, kind: NoteKind, publicKey: Uint8Array, sha256: Sha256): string {
  const id = hex.encode(noteKeyId(name, kind, publicKey, sha256));
  return `${name}+${id}+${base64.encode(bytesOf(Uint8Array.of(kind), publicKey))}`;
}

/** Reads a verifier key; null when it is none, or when its id is not the key's. */
export function parseVerifierKey(
  text: string,
  sha256: Sha256,
): { readonly name: string; readonly kind: NoteKind; readonly publicKey: Uint8Array } | null {
  const match = /^([^ +\n]+)\+[0-9a-f]{8}\+(.+)$/.exec(text);
  const bytes = match && fromBase64(match[2]!);
  const kind = Object.values(noteKinds).find((k) => k === bytes?.[0]);
  if (bytes?.length !== 33 || kind === undefined) return null;
  const publicKey = bytes.slice(1);
  return verifierKey(match![1]!, kind, publicKey, sha256) === text ? { name: match![1]!, kind, publicKey } : null;
}

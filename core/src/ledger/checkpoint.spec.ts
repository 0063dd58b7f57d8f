import { sha256 } from '@noble/hashes/sha2.js';
import { base64, hex } from '@scure/base';
import * as fc from 'fast-check';
import {
  checkpointText,
  cosignature,
  cosignedText,
  noteKeyId,
  noteKinds,
  noteText,
  parseCheckpoint,
  parseNote,
  parseVerifierKey,
  readCosignature,
  verifierKey,
} from './index.js';

const root = Uint8Array.from({ length: 32 }, (_, i) => i);
const text = `harbour/ledger\n8\n${base64.encode(root)}\n`;

describe('a checkpoint', () => {
  it('is origin, size and root, a line each', () => {
    expect(checkpointText({ origin: 'harbour/ledger', size: 8, root })).toBe(text);
    expect(parseCheckpoint(text)).toEqual({ origin: 'harbour/ledger', size: 8, root });
  });
  it('may be of many', () => expect(parseCheckpoint(text.replace('\n8\n', '\n4096\n'))?.size).toBe(4096));
  it('may say more in further lines', () => expect(parseCheckpoint(`${text}signed 2026\n`)?.size).toBe(8));

  const wrong: Record<string, string> = {
    'ends without a newline': text.slice(0, -1),
    'has an empty line': `${text}\n`,
    'has no origin': text.replace('harbour/ledger', ''),
    'has a size with a zero before it': text.replace('\n8\n', '\n08\n'),
    'has a size below nothing': text.replace('\n8\n', '\n-8\n'),
    'has a size that is no number': text.replace('\n8\n', '\n8e0\n'),
    'has a size that no number here holds exactly': text.replace('\n8\n', '\n9007199254740993\n'),
    'has a shorter root': `harbour/ledger\n8\n${base64.encode(root.slice(1))}\n`,
    'has a root that is no base64': text.replace('AAEC', 'AA-C'),
    'has a root without its padding': text.replace('=\n', '\n'),
    'has no root': 'harbour/ledger\n8\n',
    'is empty': '',
    'ends in the middle of a further line': `${text}signed 2026`,
    'has an empty line among further ones': `${text}\nsigned 2026\n`,
  };
  for (const [how, given] of Object.entries(wrong)) it(`is none when it ${how}`, () => expect(parseCheckpoint(given)).toBeNull());
});

describe('a note', () => {
  const signatures = [
    { name: 'harbour/ledger', keyId: Uint8Array.of(1, 2, 3, 4), signature: Uint8Array.of(9, 8) },
    { name: 'witness', keyId: Uint8Array.of(0, 0, 0, 0), signature: Uint8Array.of(7) },
  ];
  it('is its text and a line for each signature', () =>
    expect(noteText({ text, signatures })).toBe(`${text}\n— harbour/ledger AQIDBAkI\n— witness AAAAAAc=\n`));
  it('is read as it was written', () => expect(parseNote(noteText({ text, signatures }))).toEqual({ text, signatures }));
  it('may have empty lines in its text', () =>
    expect(parseNote(noteText({ text: 'a\n\nb\n', signatures }))).toEqual({ text: 'a\n\nb\n', signatures }));

  const good = noteText({ text, signatures });
  const wrong: Record<string, string> = {
    'has no signature': `${text}\n`,
    'has no text': '',
    'ends without a newline': good.slice(0, -1),
    'has a line that is no signature': `${good}AAAA\n`,
    'has something before the dash': good.replaceAll('—', 'x—'),
    'has something after a signature': good.replaceAll('=\n', '= x\n'),
    'is one line': 'harbour\n',
    'has an empty line and no signature': 'harbour\n\nwitness\n',
    'has a hyphen for the dash': good.replaceAll('—', '-'),
    'has a signature without bytes': `${text}\n— witness AAAAAA==\n`,
    'has a name with a plus': good.replace('witness', 'wit+ness'),
    'has a signature that is no base64': good.replace('AAAAAAc=', 'AAAAAAc'),
  };
  for (const [how, given] of Object.entries(wrong)) it(`is none when it ${how}`, () => expect(parseNote(given)).toBeNull());
});

describe('a cosignature', () => {
  it('is over the time and the checkpoint', () =>
    expect(cosignedText(text, 1_789_000_000)).toBe(`cosignature/v1\ntime 1789000000\n${text}`));
  it('carries its time in eight bytes, most significant first', () =>
    expect(hex.encode(cosignature(0x0102030405, Uint8Array.of(0xff)))).toBe('0000000102030405ff'));
  it('is read as it was written, also within longer bytes', () =>
    fc.assert(
      fc.property(fc.maxSafeNat(), fc.uint8Array({ minLength: 64, maxLength: 64 }), (seconds, signature) => {
        const longer = Uint8Array.from([5, ...cosignature(seconds, signature)]);
        expect(readCosignature(longer.subarray(1))).toEqual({ seconds, signature: Uint8Array.from(signature) });
      }),
    ));
  it('is none when it is shorter, longer, or of a time that no number holds', () => {
    expect(readCosignature(new Uint8Array(71))).toBeNull();
    expect(readCosignature(new Uint8Array(73))).toBeNull();
    expect(readCosignature(new Uint8Array(72).fill(255, 0, 8))).toBeNull();
  });
});

describe('a verifier key', () => {
  const key = Uint8Array.from({ length: 32 }, (_, i) => 255 - i);
  const written = verifierKey('witness', noteKinds.cosignature, key, sha256);
  it('names its owner, the key’s id, its kind and the key', () => {
    const id = hex.encode(sha256(Uint8Array.from([...'witness\n'].map((c) => c.charCodeAt(0)).concat(4, ...key))).slice(0, 4));
    expect(hex.encode(noteKeyId('witness', noteKinds.cosignature, key, sha256))).toBe(id);
    expect(written).toBe(`witness+${id}+${base64.encode(Uint8Array.from([4, ...key]))}`);
  });
  it('is read as it was written', () =>
    expect(parseVerifierKey(written, sha256)).toEqual({ name: 'witness', kind: noteKinds.cosignature, publicKey: key }));

  const wrong: Record<string, string> = {
    'has the id of another': written.replace(/\+[0-9a-f]{8}\+/, '+00000000+'),
    'has another name': written.replace('witness', 'somebody'),
    'is of another kind': verifierKey('witness', 9 as never, key, sha256),
    'has a longer key': verifierKey('witness', noteKinds.ed25519, Uint8Array.from([...key, 0]), sha256),
    'has no key': 'witness',
    'has something before it': ` ${written}`,
    'has something after it': `${written}\n`,
    'has a shorter key': verifierKey('witness', noteKinds.cosignature, key.slice(1), sha256),
  };
  for (const [how, given] of Object.entries(wrong)) it(`is none when it ${how}`, () => expect(parseVerifierKey(given, sha256)).toBeNull());
});

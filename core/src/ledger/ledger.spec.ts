import * as fc from 'fast-check';
import {
  canonicalJson,
  completeSubtrees,
  consistencyProof,
  inclusionProof,
  leafHash,
  MerkleFrontier,
  merkleTreeHash,
  nodeHash,
  verifyConsistency,
  verifyInclusion,
} from './index.js';

const hex = (bytes: Uint8Array): string => [...bytes].map((b) => b.toString(16).padStart(2, '0')).join('');
const fromHex = (text: string): Uint8Array => Uint8Array.from(text.match(/../g) ?? [], (pair) => parseInt(pair, 16));

/** The eight entries and roots that implementations of RFC 6962 commonly test with. */
const entries = ['', '00', '10', '2021', '3031', '40414243', '5051525354555657', '606162636465666768696a6b6c6d6e6f'].map(fromHex);
const roots = [
  '6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d',
  'fac54203e7cc696cf0dfcb42c92a1d9dbaf70ad9e621f4bd8d98662f00e3c125',
  'aeb6bcfe274b70a14fb067a5e5578264db0fa9b51af5e0ba159158f329e06e77',
  'd37ee418976dd95753c1c73862b9398fa2a2cf9b4ff0fdfe8b30cd95209614b7',
  '4e3bbb1f7b478dcfe71fb631631519a3bca12c9aefca1612bfce4c13a86264d4',
  '76e67dadbcdf1e10e1b74ddc608abd2f98dfb16fbce75277b5232a127f2087ef',
  'ddb89be403809e325750d3d263cd78929c2942b7942a34b77e122c9594a74c8c',
  '5dc9da79a70659a9ad559cb701ded9a2ab9d823aad2f4960cfe370eff4604328',
];

/** The recursive definition of RFC 6962 §2.1, word for word. */
function byDefinition(list: Uint8Array[]): Uint8Array {
  if (list.length === 1) return leafHash(list[0]!);
  let k = 1;
  while (k * 2 < list.length) k *= 2;
  return nodeHash(byDefinition(list.slice(0, k)), byDefinition(list.slice(k)));
}
const many = (n: number): Uint8Array[] => Array.from({ length: n }, (_, i) => Uint8Array.of(i >> 8, i & 255));

describe('the Merkle tree', () => {
  it('of nothing is SHA-256 of nothing', () =>
    expect(hex(merkleTreeHash([]))).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855'));
  roots.forEach((root, i) => {
    it(`of ${i + 1} known entries has the known root`, () => expect(hex(merkleTreeHash(entries.slice(0, i + 1)))).toBe(root));
  });
  it('equals the recursive definition for every size up to 70', () => {
    for (let n = 1; n <= 70; n++) expect(hex(merkleTreeHash(many(n)))).toBe(hex(byDefinition(many(n))));
  });
  it('grows and is restored from its complete subtrees', () => {
    const nodes = new Map<string, Uint8Array>();
    const frontier = new MerkleFrontier();
    for (const [i, entry] of many(45).entries()) {
      frontier.append(leafHash(entry), (height, index, hash) => nodes.set(`${height}/${index}`, hash));
      const restored = MerkleFrontier.restore(i + 1, (height, index) => nodes.get(`${height}/${index}`)!);
      expect(hex(restored.root())).toBe(hex(frontier.root()));
    }
  });
  it('takes a complete subtree for all of its leaves', () =>
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 80 }), fc.array(fc.boolean(), { minLength: 80, maxLength: 80 }), (size, open) => {
        const list = many(size);
        const frontier = new MerkleFrontier();
        let start = 0;
        while (start < size) {
          let end = start + 1;
          // What is not open is covered by as few hashes as there can be.
          if (!open[start]) while (end < size && !open[end]) end++;
          for (const { height, index } of completeSubtrees(start, end)) {
            const first = index * 2 ** height;
            frontier.appendSubtree(height, byDefinition(list.slice(first, first + 2 ** height)));
          }
          start = end;
        }
        expect(frontier.size).toBe(size);
        expect(hex(frontier.root())).toBe(hex(byDefinition(list)));
      }),
    ));
  it('refuses a subtree that does not begin where it stands', () => {
    const frontier = new MerkleFrontier();
    frontier.append(leafHash(entries[0]!));
    expect(() => frontier.appendSubtree(1, leafHash(entries[0]!))).toThrowError(RangeError, 'No subtree of 2^1 leaves begins at leaf 1');
  });
  it('says how many leaves it has', () => {
    const frontier = new MerkleFrontier();
    for (let n = 0; n < 5; n++) {
      expect(frontier.size).toBe(n);
      frontier.append(leafHash(entries[n]!));
    }
  });
  it('is covered by complete subtrees, from any leaf on', () => {
    for (let from = 0; from <= 20; from++) {
      for (let to = from; to <= 40; to++) {
        const found = completeSubtrees(from, to);
        let at = from;
        for (const { height, index } of found) {
          expect(index * 2 ** height).toBe(at);
          at += 2 ** height;
        }
        expect(at).toBe(to);
        // As few as there can be: no two neighbours would make one larger.
        found.forEach(({ height, index }, i) => {
          const next = found[i + 1];
          expect(index % 2 === 0 && next?.height === height && next.index === index + 1).toBeFalse();
        });
      }
    }
  });
  it('of eleven is covered by three', () =>
    expect(completeSubtrees(0, 11)).toEqual([
      { height: 3, index: 0 },
      { height: 1, index: 4 },
      { height: 0, index: 10 },
    ]));
});

describe('proofs', () => {
  it('hold for every entry and every size up to 40, and for no other entry', () => {
    for (let n = 1; n <= 40; n++) {
      const list = many(n);
      const root = merkleTreeHash(list);
      for (let i = 0; i < n; i++) {
        const proof = inclusionProof(list, i);
        expect(verifyInclusion(list[i]!, i, n, proof, root)).toBeTrue();
        expect(verifyInclusion(Uint8Array.of(9, 9, 9), i, n, proof, root)).toBeFalse();
        if (n > 1) expect(verifyInclusion(list[i]!, (i + 1) % n, n, proof, root)).toBeFalse();
        expect(verifyInclusion(list[i]!, i, n, [...proof, root], root)).toBeFalse();
        if (proof.length > 0) expect(verifyInclusion(list[i]!, i, n, proof.slice(1), root)).toBeFalse();
      }
    }
  });
  it('show that every tree is a prefix of every later one, and of no other', () => {
    for (let n = 1; n <= 33; n++) {
      const list = many(n);
      const root = merkleTreeHash(list);
      for (let m = 1; m <= n; m++) {
        const old = merkleTreeHash(list.slice(0, m));
        const proof = consistencyProof(list, m);
        expect(verifyConsistency(m, n, old, root, proof)).toBeTrue();
        const forged = merkleTreeHash([...list.slice(0, m - 1), Uint8Array.of(7)]);
        expect(verifyConsistency(m, n, forged, root, proof)).toBeFalse();
        expect(verifyConsistency(m, n, old, forged, proof)).toBeFalse();
      }
    }
  });
  it('break when one bit of them is changed', () => {
    const list = many(37);
    const root = merkleTreeHash(list);
    fc.assert(
      fc.property(fc.nat(36), fc.nat(5), fc.nat(31), fc.nat(7), (index, step, byte, bit) => {
        const proof = inclusionProof(list, index).map((hash) => Uint8Array.from(hash));
        const hash = proof[step % proof.length]!;
        hash[byte]! ^= 1 << bit;
        expect(verifyInclusion(list[index]!, index, 37, proof, root)).toBeFalse();
      }),
    );
  });
  it('are refused when they stop early, go on too long, or bring a hash that is not 32 bytes long', () => {
    const [one, two, three] = many(3) as [Uint8Array, Uint8Array, Uint8Array];
    // Stopping below the root, with that node given out as the root.
    expect(verifyInclusion(one, 0, 2, [], leafHash(one))).toBeFalse();
    const below = merkleTreeHash([one, two]);
    expect(verifyInclusion(one, 0, 3, [leafHash(two)], below)).toBeFalse();
    expect(verifyConsistency(1, 2, leafHash(one), leafHash(one), [])).toBeFalse();
    // Going on above the root, with what comes out given out as the root.
    expect(verifyInclusion(one, 0, 1, [leafHash(two)], nodeHash(leafHash(two), leafHash(one)))).toBeFalse();
    expect(
      verifyConsistency(2, 3, nodeHash(leafHash(two), below), nodeHash(leafHash(two), nodeHash(below, leafHash(three))), [
        leafHash(three),
        leafHash(two),
      ]),
    ).toBeFalse();
    // A node hash is filled with zeroes behind a short sibling, so one that ends in a zero could be sent without it.
    const ending = Array.from({ length: 4000 }, (_, i) => Uint8Array.of(1, i >> 8, i & 255)).find((e) => leafHash(e)[31] === 0)!;
    const list = [ending, two];
    expect(verifyInclusion(two, 1, 2, [leafHash(ending)], merkleTreeHash(list))).toBeTrue();
    expect(verifyInclusion(two, 1, 2, [leafHash(ending).slice(0, 31)], merkleTreeHash(list))).toBeFalse();
    const later = [one, ending];
    const proof = consistencyProof(later, 1);
    expect(verifyConsistency(1, 2, leafHash(one), merkleTreeHash(later), proof)).toBeTrue();
    expect(verifyConsistency(1, 2, leafHash(one), merkleTreeHash(later), [proof[0]!.slice(0, 31)])).toBeFalse();
    // The first hash of a consistency proof stands on the right of the old tree's last node: neither short nor long.
    const uneven = [one, two, ending, three];
    const path = consistencyProof(uneven, 3);
    expect(hex(path[0]!)).toBe(hex(leafHash(ending)));
    expect(verifyConsistency(3, 4, merkleTreeHash(uneven.slice(0, 3)), merkleTreeHash(uneven), path)).toBeTrue();
    for (const first of [path[0]!.slice(0, 31), Uint8Array.of(...path[0]!, 0)]) {
      expect(verifyConsistency(3, 4, merkleTreeHash(uneven.slice(0, 3)), merkleTreeHash(uneven), [first, ...path.slice(1)])).toBeFalse();
    }
  });
  it('are refused for leaves and trees that cannot be', () => {
    const list = many(3);
    const root = merkleTreeHash(list);
    const head = merkleTreeHash(list.slice(0, 2));
    for (const wrong of [-1, 0.5, 1.5, 3, Number.NaN, 2 ** 53]) {
      expect(() => inclusionProof(list, wrong))
        .withContext(`${wrong}`)
        .toThrowError(RangeError, `No leaf ${wrong} in a tree of 3`);
      expect(verifyInclusion(list[0]!, wrong, 3, inclusionProof(list, 0), root))
        .withContext(`${wrong}`)
        .toBeFalse();
      expect(verifyInclusion(list[0]!, wrong, 3, [], leafHash(list[0]!)))
        .withContext(`${wrong}`)
        .toBeFalse();
    }
    for (const wrong of [-1, 0, 0.5, 1.5, 4, Number.NaN, 2 ** 53]) {
      expect(() => consistencyProof(list, wrong))
        .withContext(`${wrong}`)
        .toThrowError(RangeError, `No tree of ${wrong} within a tree of 3`);
      expect(verifyConsistency(wrong, 3, head, root, consistencyProof(list, 2)))
        .withContext(`${wrong}`)
        .toBeFalse();
      expect(verifyConsistency(wrong, 3, root, root, []))
        .withContext(`${wrong}`)
        .toBeFalse();
      expect(verifyConsistency(wrong, wrong, root, root, []))
        .withContext(`${wrong} of ${wrong}`)
        .toBe(wrong === 4);
    }
    // The same tree needs no proof, takes none, and is not another of its size.
    expect(verifyConsistency(3, 3, root, root, [])).toBeTrue();
    expect(verifyConsistency(3, 3, root, root, [root])).toBeFalse();
    expect(verifyConsistency(3, 3, head, root, [])).toBeFalse();
    expect(verifyConsistency(3, 3, root.slice(0, 31), root, [])).toBeFalse();
    expect(verifyConsistency(2, 3, head, root, [])).toBeFalse();
    expect(verifyConsistency(3, 4, root, merkleTreeHash(many(4)), [])).toBeFalse();
  });
  it('are refused outside the tree', () => {
    expect(() => inclusionProof(many(3), 3)).toThrowError(RangeError);
    expect(() => consistencyProof(many(3), 0)).toThrowError(RangeError);
    expect(() => consistencyProof(many(3), 4)).toThrowError(RangeError);
    expect(verifyInclusion(many(1)[0]!, 1, 1, [], merkleTreeHash(many(1)))).toBeFalse();
    expect(verifyConsistency(0, 3, merkleTreeHash([]), merkleTreeHash(many(3)), [])).toBeFalse();
  });
});

describe('canonical JSON', () => {
  it('sorts members by UTF-16 code units (RFC 8785 §3.2.3)', () => {
    const value = {
      '\u20ac': 'Euro Sign',
      '\r': 'Carriage Return',
      '\ufb33': 'Hebrew',
      '1': 'One',
      '\ud83d\ude00': 'Smiley',
      '\u0080': 'Control',
      '\u00f6': 'o',
    };
    expect(canonicalJson(value)).toBe(
      '{"\\r":"Carriage Return","1":"One","\u0080":"Control","\u00f6":"o","\u20ac":"Euro Sign","\ud83d\ude00":"Smiley","\ufb33":"Hebrew"}',
    );
  });
  it('writes numbers and literals as ECMAScript does (RFC 8785 §3.2.2)', () => {
    const value = { numbers: [333333333.33333329, 1e30, 4.5, 2e-3, 1e-27, -0], literals: [null, true, false] };
    expect(canonicalJson(value)).toBe('{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27,0]}');
  });
  it('reads back to the same value and does not depend on the order of members', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (value) => {
        const text = canonicalJson(value);
        expect(canonicalJson(JSON.parse(text))).toBe(text);
        expect(canonicalJson(Object.fromEntries(Object.entries(value).reverse()))).toBe(text);
      }),
    );
  });
  it('writes what a plain reading of the standard writes, whatever the keys', () => {
    const reference = (value: unknown): string => {
      if (Array.isArray(value)) return `[${value.map(reference).join(',')}]`;
      if (typeof value !== 'object' || value === null) return JSON.stringify(value);
      return `{${Object.entries(value)
        .sort(([a], [b]) => (a < b ? -1 : 1))
        .map(([k, v]) => `${JSON.stringify(k)}:${reference(v)}`)
        .join(',')}}`;
    };
    const key = fc.oneof(fc.string(), fc.nat(30).map(String), fc.constantFrom('__proto__', 'toString', '01', '-1', '1.5', ''));
    const json = fc.letrec<{ any: unknown }>((tie) => ({
      any: fc.oneof(
        { depthSize: 'small' },
        fc.oneof(
          fc.string({ unit: 'grapheme' }),
          fc.integer(),
          fc.double({ noNaN: true, noDefaultInfinity: true }),
          fc.boolean(),
          fc.constant(null),
        ),
        fc.array(tie('any'), { maxLength: 4 }),
        fc.array(fc.tuple(key, tie('any')), { maxLength: 5 }).map((members) => Object.fromEntries(members)),
      ),
    })).any;
    fc.assert(
      fc.property(json, (value) => {
        expect(canonicalJson(value)).toBe(reference(value));
      }),
      { numRuns: 500 },
    );
  });
  it('refuses what JSON cannot say', () => {
    for (const value of [
      undefined,
      NaN,
      Infinity,
      { a: undefined },
      { 1: { a: undefined } },
      [() => 1],
      '\ud800',
      'x\udc00',
      { 7: '\ud800' },
      { '\udc00': 1 },
    ]) {
      expect(() => canonicalJson(value)).toThrowError(TypeError);
    }
  });
});

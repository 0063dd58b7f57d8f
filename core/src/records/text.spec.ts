import * as fc from 'fast-check';
import { isSoundText } from './text.js';

describe('a sound text', () => {
  it('has no control characters, halves of pairs or noncharacters; of a prose lines and tabs may be', () => {
    for (const bad of [
      '\u0000',
      '\u0008',
      '\u001f',
      '\u007f',
      '\u0085',
      '\u009f',
      '\ud800',
      '\udfff',
      '\ufdd0',
      '\ufdef',
      '\ufffe',
      '\uffff',
      '\u{10ffff}',
    ]) {
      expect(isSoundText(`a${bad}`))
        .withContext(escape(bad))
        .toBeFalse();
      expect(isSoundText(`${bad}a`, true))
        .withContext(escape(bad))
        .toBeFalse();
    }
    for (const space of ['\t', '\n', '\r']) {
      expect(isSoundText(`a${space}b`)).toBeFalse();
      expect(isSoundText(`a${space}b`, true)).toBeTrue();
    }
    for (const good of ['', 'a', 'é', '\u00a0', '\u{1f5dd}', '\ufdf0', '\ufffd', '\u{10fffd}', 'עברית', '水']) {
      expect(isSoundText(good)).withContext(good).toBeTrue();
      expect(isSoundText(good, true)).withContext(good).toBeTrue();
    }
  });

  it('has only characters of XML 1.0 (§2.2), and survives UTF-8', () => {
    const xml = /^[\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]*$/u;
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.boolean(), (text, prose) => {
        if (!isSoundText(text, prose)) return;
        expect(text).toMatch(xml);
        expect(decodeURIComponent(encodeURIComponent(text))).toBe(text);
      }),
    );
    expect(isSoundText('a')).toBeTrue();
  });
});

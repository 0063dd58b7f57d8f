import { bound } from '../src/http/table.js';
import { textsIn, unfitTexts } from './support/shapes.js';

const hardlyWider = ['two\nlines', 'a\ttab'];

describe('the contract', () => {
  const texts = bound().flatMap(({ name, endpoint }) =>
    [endpoint.params, endpoint.query, endpoint.body].flatMap((schema) =>
      textsIn(schema).map(({ path, schema: one }) => ({ at: name + path, one })),
    ),
  );

  it('has many texts, in all places where one can stand', () => {
    expect(texts.length).toBeGreaterThan(250);
    for (const at of [
      'receiving.file/filings/-/facts/(value)',
      'stencils.make/definition/root/title',
      'records.list/criteria',
      'setup.type/code',
    ]) {
      expect(texts.map((t) => t.at)).toContain(at);
    }
  });

  it('takes none that some document, file system or database could not hold', () => {
    // The name of a file is taken as it comes and tidied; a criterion in an address is JSON.
    const asTheyCome = new Set(['receiving.upload/name']);
    const taken = texts
      .filter(({ at }) => !asTheyCome.has(at))
      .flatMap(({ at, one }) => unfitTexts.filter((text) => one.safeParse(text).success).map((text) => `${at}: ${JSON.stringify(text)}`));
    expect(taken).toEqual([]);
  });

  it('gives every text back composed, and its length is limited', () => {
    const loose = texts.filter(({ one }) => one.safeParse('a'.repeat(40_004)).success);
    expect([...new Set(loose.map(({ at }) => at.split('/').at(-1)))].sort()).toEqual(['csv', 'data', 'ics']);
    for (const { at, one } of loose)
      expect(one.safeParse('a'.repeat(13_000_000)).success)
        .withContext(at)
        .toBeFalse();
    const decomposed = texts.filter(({ one }) => {
      const result = one.safeParse('Cafe\u0301 4711 of July');
      return result.success && result.data === 'Cafe\u0301 4711 of July';
    });
    expect(decomposed.map(({ at }) => at)).toEqual(['receiving.upload/name']);
  });

  it('takes lines only where several make sense', () => {
    const several = texts
      .filter(({ one }) => hardlyWider.every((text) => one.safeParse(text).success))
      .map(({ at }) => at.split('/').at(-1));
    const expected = ['reason', 'note', 'notHere', 'message', 'help', 'sample', 'csv', 'ics', '-', '(value)', 'default', 'name', 'answer'];
    expect([...new Set(several)].filter((name) => !expected.includes(name!))).toEqual([]);
  });

  it('limits every body', () => {
    const mb = 1024 * 1024;
    for (const { name, endpoint } of bound()) {
      const most = endpoint.sends === 'bytes' ? 2048 * mb : endpoint.who === 'public' ? 128 * 1024 : 12 * mb;
      expect(endpoint.most).withContext(name).toBeGreaterThan(0);
      expect(endpoint.most).withContext(name).toBeLessThanOrEqual(most);
    }
  });
});

import { statement } from './connect.js';

describe('a named statement', () => {
  it('keeps its plan on a connection where one plan serves every value', () => {
    const text = 'select title from record where id = $1';
    expect(statement('spec.one', text, ['a'])).toEqual({ name: 'spec.one', text, values: ['a'] });
  });

  for (const text of [
    'select id from record where access_set_id = any ($1::int[])',
    'select count(*) from record where places @> array[$1::uuid]',
    'select count(*) from place where ancestors @> array[$1::uuid]',
    'select id from record where number >= $1 order by number limit $2',
  ]) {
    it(`is planned for its values each time where they decide how many rows there are: ${text}`, () => {
      expect(statement(`spec ${text}`, text, [1])).toEqual({ text, values: [1] });
      expect(statement(`spec ${text}`, text, [2])).toEqual({ text, values: [2] });
    });
  }
});

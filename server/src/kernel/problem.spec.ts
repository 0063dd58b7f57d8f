import pg from 'pg';
import type { Logger } from 'pino';
import { message } from '@key-cellar/words';
import { Away, notFound, tellProblem } from './problem.js';

/** A log that keeps what came, with how urgent it is. */
function kept(): { readonly log: Logger; readonly lines: string[] } {
  const lines: string[] = [];
  const at =
    (level: string) =>
    ({ err }: { err: Error }, what: string): void =>
      void lines.push(`${level}: ${what}: ${err.message}`);
  return { log: { error: at('error'), warn: at('warn') } as unknown as Logger, lines };
}

/** What PostgreSQL raises with this SQLSTATE. */
function raised(code: string): Error {
  return Object.assign(new pg.DatabaseError('its own words', 0, 'error'), { code });
}

describe('what an error is told as', () => {
  const cases: [string, Error, number, string, string | null][] = [
    ['a fault of ours', new TypeError('x is undefined'), 500, 'unexpected', 'error: it: x is undefined'],
    ['an unknown refusal of the database', raised('42P01'), 500, 'unexpected', 'error: it: its own words'],
    ...['KC001', 'KC004'].map((state): [string, Error, number, string, string] => [
      `the promise ${state}`,
      raised(state),
      409,
      'refused-by-database',
      'warn: it: its own words',
    ]),
    ['the promise of a hold', raised('KC002'), 409, 'record-held', 'warn: it: its own words'],
    ['the promise of a declaration', raised('KC003'), 409, 'record-declared', 'warn: it: its own words'],
    ['a value it cannot hold', raised('22021'), 422, 'not-storable', 'warn: it: its own words'],
    ['a full disk', raised('53100'), 507, 'disk-full', 'warn: it: its own words'],
    ['a refusal of ours', notFound(), 404, 'not-found', null],
  ];
  for (const [what, error, status, code, line] of cases) {
    it(`${what}: to the person as ${code}, ${line ? 'in full to the log' : 'and nothing to the log'}`, () => {
      const { log, lines } = kept();
      const problem = tellProblem(log, error, 'it');
      expect<unknown[]>([problem.status, problem.code]).toEqual([status, code]);
      expect(problem.message).not.toContain('its own words');
      expect(lines).toEqual(line ? [line] : []);
    });
  }

  it('something outside that is away is a warning', () => {
    const { log, lines } = kept();
    expect(tellProblem(log, new Away('archive-away', message('problem.that'), null), 'it').status).toBe(503);
    expect(lines.length).toBe(1);
  });
  const met: [string, string | undefined, string][] = [
    ['the value that met', 'Key (code)=(BER-01) already exists.', 'There is one with “BER-01” already.'],
    [
      'none of our ids',
      'Key (parent_id, code)=(01a22867-5189-7cd4-b6c9-782adb597198, B-07) already exists.',
      'There is one with “B-07” already.',
    ],
    ['nothing where there is none', undefined, 'Something with this name, code or number already exists. Choose another.'],
  ];
  for (const [what, detail, sentence] of met) {
    it(`what exists already names ${what}`, () => {
      const problem = tellProblem(kept().log, Object.assign(raised('23505'), { detail }), 'it');
      expect([problem.status, problem.code, problem.message]).toEqual([409, 'exists-already', sentence]);
    });
  }
});

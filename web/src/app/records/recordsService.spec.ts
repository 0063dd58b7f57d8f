import type { RecordLine } from '@key-cellar/contract';
import { Subject } from 'rxjs';
import { PageCache } from './recordsService';

type Answer = Subject<{ records: RecordLine[]; next: string | null }>;

describe('pages of a list', () => {
  let asked: { after: string | undefined; skip: number }[];
  let answers: Answer[];
  let changes: number;
  let failures: number;
  let cache: PageCache;
  const page = (from: number): RecordLine[] => Array.from({ length: 100 }, (_, i) => ({ id: `r${from + i}` }) as RecordLine);

  beforeEach(() => {
    [asked, answers, changes, failures] = [[], [], 0, 0];
    cache = new PageCache(
      (given) => {
        asked.push({ after: given.after, skip: given.skip });
        const answer: Answer = new Subject();
        answers.push(answer);
        return answer;
      },
      () => changes++,
      () => failures++,
    );
  });

  it('are fetched once, and only those that are wanted', () => {
    cache.want(0, 100);
    cache.want(20, 60);
    expect(asked).toEqual([{ after: undefined, skip: 0 }]);
    answers[0]!.next({ records: page(0), next: 'end0' });
    expect(cache.row(42)!.id).toBe('r42');
    expect(cache.row(100)).toBeUndefined();
    expect(changes).toBe(1);
  });

  it('continue from the end of the page before', () => {
    cache.want(0, 100);
    answers[0]!.next({ records: page(0), next: 'end0' });
    cache.want(100, 200);
    expect(asked[1]).toEqual({ after: 'end0', skip: 0 });
  });

  it('are jumped to from the nearest page that is known', () => {
    cache.want(0, 100);
    answers[0]!.next({ records: page(0), next: 'end0' });
    cache.want(1100, 1200);
    expect(asked[1]).toEqual({ after: 'end0', skip: 1000 });
    answers[1]!.next({ records: page(1100), next: 'end11' });
    cache.want(1300, 1400);
    expect(asked[2]).toEqual({ after: 'end11', skip: 100 });
    expect(cache.row(1101)!.id).toBe('r1101');
  });

  it('that are far from all that is known are named by where they begin', () => {
    cache.want(0, 100);
    answers[0]!.next({ records: page(0), next: 'end0' });
    cache.want(60_000, 60_100);
    expect(asked[1]).toEqual({ after: undefined, skip: 60_000 });
  });

  it('that failed are asked for again', () => {
    cache.want(0, 100);
    answers[0]!.error(new Error('gone'));
    expect(failures).toBe(1);
    cache.want(0, 100);
    expect(asked.length).toBe(2);
  });
});

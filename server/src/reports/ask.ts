import type { Suggestion } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { wordQuery } from '@key-cellar/core/criteria';
import type { Services } from '../docket/index.js';
import type { SignedIn } from '../kernel/index.js';
import * as store from './store.js';

/** What a person may mean by what they type in the ask bar. */
export async function ask(services: Services, person: SignedIn, text: string): Promise<Suggestion[]> {
  const { pool } = services;
  const access = await services.access.of(person);
  const { whole, beginning } = wordQuery({ text, prefix: true });
  const terms = [...whole.map((w) => `'${w}'`), ...(beginning === null ? [] : [`'${beginning}':*`])].join(' & ');
  // What a person typed is text, not a pattern.
  const literal = text.trim().replace(/[\\%_]/g, (c) => `\\${c}`);
  const [records, places, rules, batches, matters] = await Promise.all([
    terms ? store.askRecords(pool, access.sets('discover'), terms) : [],
    store.askPlaces(pool, literal),
    store.askRules(pool, literal),
    store.askBatches(pool, literal, access.sets('discover')),
    hasRight(access.anywhere, 'hold') ? store.askMatters(pool, literal) : [],
  ]);
  return [
    ...places
      .filter((p) => hasRight(access.on(p.access_set_id).all, 'discover'))
      .slice(0, 5)
      .map((p) => ({ kind: 'place' as const, id: p.id, code: p.code, title: p.title, link: `/plan/${p.id}` })),
    ...records.map((r) => ({ kind: 'record' as const, id: r.id, code: r.number, title: r.title, link: `/records/${r.id}` })),
    ...rules.map((r) => ({ kind: 'rule' as const, id: r.id, code: r.code, title: r.title, link: `/schedule/${r.id}` })),
    ...batches.map((b) => ({ kind: 'batch' as const, id: b.id, code: b.number, title: b.what, link: `/docket/${b.id}` })),
    ...matters.map((m) => ({ kind: 'matter' as const, id: m.id, code: m.code, title: m.title, link: `/holds?matter=${m.id}` })),
  ];
}

import { explain, type Explanation } from '@key-cellar/core/schedule';
import { mayOn, notFound, type SignedIn } from '../kernel/index.js';
import { judge } from './evaluation.js';
import type { Services } from './services.js';
import * as clockStore from './clockStore.js';

/**
 * Which rule was in force for a record on a day: the rules published by then, as they are set today. Where rules were set
 * elsewhere on that day, the ledger says so.
 */
export async function ruleOnDay(services: Services, person: SignedIn, id: string, on: string): Promise<Explanation> {
  const access = await services.access.of(person);
  const found = await clockStore.clockOf(services.pool, id);
  if (!found || !mayOn(access, person, found, 'discover')) throw notFound('This record');
  const book = await services.rules.current(services.pool);
  const [judged] = await judge(services.pool, [found], book, on);
  return explain({ governing: judged!.governing, facts: judged!.facts, holds: [], missing: [] });
}

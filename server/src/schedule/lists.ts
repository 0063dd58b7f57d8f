import type { RuleDefinition } from '@key-cellar/contract';
import { nearest } from '@key-cellar/core/criteria';
import { partsOf, type RuleVersion } from '@key-cellar/core/schedule';
import { message, type Message } from '@key-cellar/words';
import { wrongField, type Db } from '../kernel/index.js';
import * as lists from './listStore.js';

/** What rules and events may name: lists of the repository. */
interface Lists {
  readonly eventTypes: readonly string[];
  readonly namedYears: readonly string[];
}

/** The lists as they stand. */
export async function readLists(db: Db): Promise<Lists> {
  const [eventTypes, years] = await Promise.all([lists.eventTypes(db), lists.namedYearLines(db)]);
  return { eventTypes, namedYears: years.map((y) => y.name) };
}

/** The types of events that a rule waits for. */
export function eventTypesIn({ trigger, suspension }: Pick<RuleVersion, 'trigger' | 'suspension'>): string[] {
  const awaited = partsOf(trigger).flatMap((p) => (p.trigger.kind === 'event' ? [p.trigger.eventType] : []));
  return suspension ? [...awaited, suspension.stops, suspension.resumes] : awaited;
}

/** A type of event as the list spells it; undefined when it is not there. */
export function listed(eventTypes: readonly string[], name: string): string | undefined {
  return eventTypes.find((t) => t.toLowerCase() === name.trim().toLowerCase());
}

const notListed = (what: 'eventType' | 'namedYear', name: string, all: readonly string[]): Message => {
  const [meant] = nearest(name, all, (text) => text.toLowerCase());
  return meant === undefined ? message('schedule.notListed', { what, name }) : message('schedule.notListedMeant', { what, name, meant });
};

/** The type of an event as the list spells it; throws 422 for one that is not there. */
export async function requireEventType(db: Db, name: string, pointer: string): Promise<string> {
  const all = await lists.eventTypes(db);
  const found = listed(all, name);
  if (found === undefined) throw wrongField(pointer, notListed('eventType', name, all));
  return found;
}

/** Refuses a definition that names what is in no list of the repository. */
export async function requireLists(db: Db, definition: RuleDefinition): Promise<void> {
  const { cutoff } = definition;
  const named = eventTypesIn(definition);
  if (named.length === 0 && cutoff.kind !== 'namedYear') return;
  const all = await readLists(db);
  const unknown = named.find((name) => listed(all.eventTypes, name) === undefined);
  if (unknown !== undefined) throw wrongField('/definition/trigger', notListed('eventType', unknown, all.eventTypes));
  if (cutoff.kind === 'namedYear' && !all.namedYears.includes(cutoff.name))
    throw wrongField('/definition/cutoff', notListed('namedYear', cutoff.name, all.namedYears));
}

import type { FactDefinition, Facts } from './facts.js';

/** The fifteen elements of the Dublin Core element set (ISO 15836-1). */
export const dublinCoreElements = [
  'contributor',
  'coverage',
  'creator',
  'date',
  'description',
  'format',
  'identifier',
  'language',
  'publisher',
  'relation',
  'rights',
  'source',
  'subject',
  'title',
  'type',
] as const;
export type DublinCoreElement = (typeof dublinCoreElements)[number];

const isElement = (name: string | undefined): name is DublinCoreElement =>
  name !== undefined && (dublinCoreElements as readonly string[]).includes(name);

export interface Described {
  readonly number: string;
  readonly title: string;
  /** ISO 8601 date of the document. */
  readonly createdOn: string;
  readonly facts: Facts;
}

/**
 * A record in Dublin Core: number, title, date and type, then each fact whose definition names an element, in the order
 * of the definitions. A fact that names an element which does not exist, or has no value, is left out.
 */
export function dublinCoreOf(
  record: Described,
  type: { readonly title: string; readonly facts: readonly FactDefinition[] },
): (readonly [DublinCoreElement, string])[] {
  const fromFacts = type.facts.flatMap((definition): (readonly [DublinCoreElement, string])[] => {
    const value = record.facts[definition.code];
    return isElement(definition.dublinCore) && value !== undefined && value !== '' ? [[definition.dublinCore, String(value)]] : [];
  });
  return [['identifier', record.number], ['title', record.title], ['date', record.createdOn], ['type', type.title], ...fromFacts]; // prettier-ignore
}

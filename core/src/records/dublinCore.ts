import { dublinCoreElements, type DublinCoreElement } from './dublinCoreElements.js';
import { valuesOf, type FactDefinition, type Facts, type FactScalar } from './facts.js';

export interface Described {
  readonly number: string;
  readonly title: string;
  /** ISO 8601 date of the document. */
  readonly createdOn: string;
  readonly facts: Facts;
}

/**
 * A record in Dublin Core: number, title, date and type, then each fact whose definition names an element, in the order
 * of the definitions, many values one by one. `words` tells what a value is called where it names something else. A fact that names an element which does not exist, or has no value, is left out.
 */
export function dublinCoreOf(
  record: Described,
  type: { readonly title: string; readonly facts: readonly FactDefinition[] },
  words: (value: FactScalar) => string = String,
): (readonly [DublinCoreElement, string])[] {
  const fromFacts = type.facts.flatMap((definition): (readonly [DublinCoreElement, string])[] => {
    const { dublinCore } = definition;
    // Definitions come from stored types, which may be older than the check of their elements.
    if (!dublinCore || !dublinCoreElements.includes(dublinCore)) return [];
    return valuesOf(record.facts[definition.code]).flatMap((value) => (value === '' ? [] : [[dublinCore, words(value)]]));
  });
  return [['identifier', record.number], ['title', record.title], ['date', record.createdOn], ['type', type.title], ...fromFacts];
}

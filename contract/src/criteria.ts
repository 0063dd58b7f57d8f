import {
  codeFields,
  dateFields,
  personFields,
  spanUnits,
  textFields,
  wordsOf,
  type AskedCriteria,
  type Criteria,
} from '@key-cellar/core/criteria';
import { factKinds } from '@key-cellar/core/records';
import * as z from 'zod';
import { dateText, get, id } from './shared.js';
import { text } from './text.js';

const deepest = 12;

function depth(tree: AskedCriteria): number {
  if (tree.op === 'and' || tree.op === 'or') return 1 + Math.max(0, ...tree.of.map(depth));
  return tree.op === 'not' ? 1 + depth(tree.of) : 1;
}

const words = text(300);
/** Words to look for: one at least, since none would be found in everything. */
export const wordsToFind = words.refine((said) => wordsOf(said).length > 0, 'input.wordToFind');
const beginning = words.refine((said) => said !== '', 'input.beginning');
const fact = text(80);
const bound = z.union([dateText, z.number()]).optional();
const clause = z.discriminatedUnion('op', [
  z.object({ op: z.literal('words'), text: wordsToFind, prefix: z.boolean().optional() }),
  z.object({ op: z.literal('under'), placeId: id, name: words }),
  z.object({ op: z.literal('is'), field: z.enum(codeFields), value: text(100) }),
  z.object({ op: z.literal('text'), field: z.enum(textFields), how: z.enum(['is', 'startsWith']), value: beginning }),
  z.object({ op: z.literal('between'), field: z.enum(dateFields), from: dateText.optional(), until: dateText.optional() }),
  z.object({ op: z.literal('person'), field: z.enum(personFields), personId: id.optional(), name: words.optional() }),
  z.object({ op: z.literal('fact'), fact, value: z.union([words, z.number(), z.boolean()]) }),
  z.object({ op: z.literal('factStarts'), fact, text: beginning }),
  z
    .object({ op: z.literal('factBetween'), fact, from: bound, until: bound })
    .refine((c) => c.from === undefined || c.until === undefined || typeof c.from === typeof c.until, 'input.oneKind'),
  z.object({ op: z.literal('held') }),
  z.object({ op: z.literal('heldBy'), holdId: id, name: words }),
  z.object({ op: z.literal('detected'), detectorId: id, name: words }),
  z.object({ op: z.literal('gaps') }),
  z.object({ op: z.literal('conflict') }),
]);
const span = { way: z.enum(['last', 'next']), count: z.number().int().min(1).max(9999), unit: z.enum(spanUnits) };
const within = z.discriminatedUnion('op', [
  z.object({ op: z.literal('within'), field: z.enum(dateFields), ...span }),
  z.object({ op: z.literal('factWithin'), fact, ...span }),
]);

function tree<Leaf extends AskedCriteria>(leaf: z.ZodType): z.ZodType<Leaf> {
  const node: z.ZodType = z.lazy(() =>
    z.union([leaf, z.object({ op: z.enum(['and', 'or']), of: z.array(node).max(30) }), z.object({ op: z.literal('not'), of: node })]),
  );
  return node.refine((c) => depth(c as AskedCriteria) <= deepest, {
    error: 'input.criteriaDepth',
  }) as z.ZodType<Leaf>;
}

/** Criteria whose truth changes only with the record: at most twelve levels deep and thirty conditions wide. */
export const criteria = tree<Criteria>(clause);
/** Criteria as people ask: dates may be relative to today. */
export const askedCriteria = tree<AskedCriteria>(z.union([clause, within]));

function jsonOf(value: string): unknown {
  try {
    return JSON.parse(value);
  } catch {
    return undefined;
  }
}

/** Criteria in the query of an address: their JSON. */
export const criteriaParameter = text(8000).refine((value) => askedCriteria.safeParse(jsonOf(value)).success, {
  error: 'input.criteria',
});

/** Reads what {@link criteriaParameter} let through. */
export function criteriaOf(parameter: string): AskedCriteria {
  return askedCriteria.parse(jsonOf(parameter));
}

const named = z.object({ id: z.string(), name: z.string(), also: z.array(z.string()).optional() });

export const criteriaEndpoints = {
  vocabulary: get(
    '/criteria/vocabulary',
    'What criteria of this person may speak of: types, facts, places, people, parties, business objects, holds, detectors',
    {
      response: z.object({
        recordTypes: z.array(named),
        facts: z.array(z.object({ code: z.string(), title: z.string(), kind: z.enum(factKinds), choices: z.array(z.string()).optional() })),
        places: z.array(named),
        people: z.array(named),
        parties: z.array(named),
        objects: z.array(named),
        holds: z.array(named),
        detectors: z.array(named),
      }),
    },
    { kept: true },
  ),
};

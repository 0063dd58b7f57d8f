import { codeFields, dateFields, type Criteria } from '@key-cellar/core/criteria';
import * as z from 'zod';
import { dateText, id } from './shared.js';

const deepest = 12;

function depth(clause: Criteria): number {
  if (clause.op === 'and' || clause.op === 'or') return 1 + Math.max(0, ...clause.of.map(depth));
  return clause.op === 'not' ? 1 + depth(clause.of) : 1;
}

const clause: z.ZodType<Criteria> = z.lazy(() =>
  z.union([
    z.object({ op: z.literal('words'), text: z.string().max(300), prefix: z.boolean().optional() }),
    z.object({ op: z.literal('under'), placeId: id, name: z.string().max(300) }),
    z.object({ op: z.literal('is'), field: z.enum(codeFields), value: z.string().max(100) }),
    z.object({ op: z.literal('between'), field: z.enum(dateFields), from: dateText.optional(), until: dateText.optional() }),
    z.object({ op: z.literal('fact'), fact: z.string().max(80), value: z.union([z.string().max(300), z.number(), z.boolean()]) }),
    z.object({ op: z.literal('held') }),
    z.object({ op: z.enum(['and', 'or']), of: z.array(clause).max(30) }),
    z.object({ op: z.literal('not'), of: clause }),
  ]),
);

/** Criteria as they travel: at most twelve levels deep and thirty clauses wide. */
export const criteria = clause.refine((c) => depth(c) <= deepest, { error: `may be at most ${deepest} levels deep` });

import { codeFields, dateFields, type Criteria } from '@key-cellar/core/criteria';
import * as z from 'zod';
import { dateText, id } from './shared.js';

const deepest = 12;

function clause(depth: number): z.ZodType<Criteria> {
  const leaf = [
    z.object({ op: z.literal('words'), text: z.string().max(300), prefix: z.boolean().optional() }),
    z.object({ op: z.literal('under'), placeId: id, name: z.string().max(300) }),
    z.object({ op: z.literal('is'), field: z.enum(codeFields), value: z.string().max(100) }),
    z.object({
      op: z.literal('between'),
      field: z.enum(dateFields),
      from: dateText.optional(),
      until: dateText.optional(),
    }),
    z.object({
      op: z.literal('fact'),
      fact: z.string().max(80),
      value: z.union([z.string().max(300), z.number(), z.boolean()]),
    }),
    z.object({ op: z.literal('held') }),
  ] as const;
  if (depth === 0) return z.union(leaf) as z.ZodType<Criteria>;
  const inner = z.lazy(() => clause(depth - 1));
  return z.union([
    ...leaf,
    z.object({ op: z.enum(['and', 'or']), of: z.array(inner).max(30) }),
    z.object({ op: z.literal('not'), of: inner }),
  ]) as z.ZodType<Criteria>;
}

/** Criteria as they travel: at most twelve levels deep and thirty clauses wide. */
export const criteria = clause(deepest);

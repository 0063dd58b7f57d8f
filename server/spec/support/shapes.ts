import * as fc from 'fast-check';
import type * as z from 'zod';

/** What a schema of the contract is made of, as zod 4 describes it. */
interface Def {
  readonly type: string;
  readonly shape?: Readonly<Record<string, z.ZodType>>;
  readonly element?: z.ZodType;
  readonly options?: readonly z.ZodType[];
  readonly innerType?: z.ZodType;
  readonly keyType?: z.ZodType;
  readonly valueType?: z.ZodType;
  readonly in?: z.ZodType;
  readonly out?: z.ZodType;
  readonly getter?: () => z.ZodType;
  readonly values?: readonly unknown[];
  readonly entries?: Readonly<Record<string, string>>;
}
const defOf = (schema: z.ZodType): Def => (schema as unknown as { _zod: { def: Def } })._zod.def;
const bagOf = (schema: z.ZodType): { format?: string; maximum?: number; minimum?: number } =>
  (schema as unknown as { _zod: { bag: { format?: string; maximum?: number; minimum?: number } } })._zod.bag;

interface Leaf {
  readonly path: string;
  readonly schema: z.ZodType;
}

/** Every text that a schema takes, with the way to it. What stands in itself is walked once. */
export function textsIn(schema: z.ZodType, path = '', walked = new Set<z.ZodType>()): Leaf[] {
  if (walked.has(schema)) return [];
  const def = defOf(schema);
  const inside = (one: z.ZodType | undefined, name = ''): Leaf[] => (one ? textsIn(one, `${path}${name}`, walked) : []);
  switch (def.type) {
    case 'string':
      return [{ path, schema }];
    case 'object':
      return Object.entries(def.shape!).flatMap(([name, one]) => inside(one, `/${name}`));
    case 'union':
      return def.options!.flatMap((one) => inside(one));
    case 'record':
      return [...inside(def.keyType, '/(key)'), ...inside(def.valueType, '/(value)')];
    case 'lazy':
      walked.add(schema);
      return inside(def.getter!());
    case 'pipe':
      // “true” and “false” of an address become a yes or no; no text goes on.
      return defOf(def.out!).type === 'boolean' ? [] : inside(def.in);
    default:
      return [...inside(def.element, '/-'), ...inside(def.innerType)];
  }
}

/** What no text may have, and what a careless one has. */
export const unfitTexts = ['a\u0000b', 'a\ud800b', 'a\udc00', 'a\ufffeb', 'a\uffff', 'a\u0007b', 'a\u0085b', 'a\ufdd0b', 'a\u{1fffe}b'];

const nasty = fc.constantFrom(
  ...unfitTexts,
  '',
  ' ',
  "'; drop table record; --",
  '%',
  '_',
  '\\',
  '$1',
  '{series}/{year}/{nnnn}',
  '../../etc/passwd',
  '<script>alert(1)</script>',
  '=1+1',
  '\u202Egnp.exe',
  'e\u0301',
  '\u{1f5dd}',
  '9999999999999999999999',
  'a'.repeat(5000),
  '["',
  '{"op":"and","of":[]}',
  '{"op":"between","field":"created","from":"0000-01-01"}',
  '{"op":"fact","fact":"topic","value":1e308}',
);
const dates = fc.constantFrom(
  '2026-09-14',
  '0000-01-01',
  '0001-01-01',
  '9999-12-31',
  '2026-02-30',
  '10000-01-01',
  '2024-02-29',
  '-0001-01-01',
);
const periods = fc.constantFrom('P1Y', 'P0D', 'P9999Y', 'P99999999Y', 'P1M', 'PT1H', 'P3W', '-P1Y', 'P');
const numbers = fc.constantFrom(0, 1, -1, 2, 0.5, 1e308, -1e308, 2 ** 31, 2 ** 53, 2 ** 63, 9999, 100);
const anything = fc.oneof(nasty, numbers, fc.boolean(), fc.constant(null), fc.constant([]), fc.constant({}), fc.constant([[[[]]]]));

/** Of several the first that the schema takes: what is refused at the door tries nothing behind it. */
const mostlyFit = (schema: z.ZodType, some: fc.Arbitrary<unknown>): fc.Arbitrary<unknown> =>
  fc.array(some, { minLength: 20, maxLength: 20 }).map((several) => several.find((one) => schema.safeParse(one).success) ?? several[0]);

/**
 * Values for a schema, most of them of its shape and filled with what is hard to bear: `ids` are those that name something
 * under a name such as `placeId`, `words` others that do. Now and then something else altogether stands where a value should.
 */
export function valuesFor(
  schema: z.ZodType,
  ids: (name: string) => fc.Arbitrary<string>,
  words: fc.Arbitrary<string>,
  name = '',
  depth = 0,
): fc.Arbitrary<unknown> {
  const def = defOf(schema);
  const inside = (one: z.ZodType, inName = name): fc.Arbitrary<unknown> => valuesFor(one, ids, words, inName, depth + 1);
  const made = (): fc.Arbitrary<unknown> => {
    switch (def.type) {
      case 'string':
        if (bagOf(schema).format === 'uuid') return ids(name);
        return mostlyFit(
          schema,
          fc.oneof(
            { weight: 4, arbitrary: words },
            { weight: 3, arbitrary: nasty },
            { weight: 2, arbitrary: dates },
            { weight: 1, arbitrary: periods },
            { weight: 1, arbitrary: ids(name) },
          ),
        );
      case 'number':
        return mostlyFit(schema, fc.oneof(numbers, fc.integer({ min: 0, max: 20 })));
      case 'boolean':
        return fc.boolean();
      case 'literal':
        return fc.constantFrom(...def.values!);
      case 'enum':
        return fc.constantFrom(...Object.values(def.entries!));
      case 'object':
        return fc.record(Object.fromEntries(Object.entries(def.shape!).map(([key, one]) => [key, inside(one, key)])));
      case 'array':
        return depth > 12 ? fc.constant([]) : fc.array(inside(def.element!), { maxLength: 3 });
      case 'union':
        return depth > 12 ? inside(def.options![0]!) : fc.oneof(...def.options!.map((one) => inside(one)));
      case 'record':
        return fc.dictionary(fc.oneof(words, nasty), inside(def.valueType!), { maxKeys: 3 });
      case 'lazy':
        return depth > 12 ? anything : fc.constant(null).chain(() => inside(def.getter!()));
      case 'optional':
      case 'default':
        return fc.oneof({ weight: 3, arbitrary: inside(def.innerType!) }, { weight: 1, arbitrary: fc.constant(undefined) });
      case 'nullable':
        return fc.oneof({ weight: 3, arbitrary: inside(def.innerType!) }, { weight: 1, arbitrary: fc.constant(null) });
      default:
        if (def.innerType) return inside(def.innerType);
        return def.in ? inside(def.in) : anything;
    }
  };
  return depth === 0 ? made() : fc.oneof({ weight: 80, arbitrary: made() }, { weight: 1, arbitrary: anything });
}

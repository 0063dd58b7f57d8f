import { packageSections, type SectionName } from '@key-cellar/contract';
import { cellOf, valueOf, type CellRead, type Common, type Shape } from '@key-cellar/core/exchange';
import * as z from 'zod';
import { fingerprint, type Wire } from './bringing.js';

/** A field of an item, and the column of a table that it stands in. */
export interface Column {
  readonly field: string;
  readonly column: string;
  readonly shape: Shape;
}

type Schema = z.core.JSONSchema.BaseSchema;
const pointer = 'reference';

/** JSON Schemas of what packages hold, where ids are told apart from other texts: what has one points at something. */
const schemaOf = (section: SectionName): Schema =>
  z.toJSONSchema(packageSections[section], {
    io: 'input',
    unrepresentable: 'any',
    override: ({ zodSchema, jsonSchema }) => {
      if ((zodSchema._zod.def as { format?: string }).format === 'uuid') jsonSchema.format = pointer;
    },
  });

const isNull = (schema: Schema): boolean => schema.type === 'null';

function shapeOf(schema: Schema, nullable = false): Shape {
  const types = Array.isArray(schema.type) ? (schema.type as string[]) : [];
  if (types.length === 2 && types.includes('null')) return shapeOf({ ...schema, type: types.find((t) => t !== 'null') as 'string' }, true);
  const some = schema.anyOf as Schema[] | undefined;
  if (some?.length === 2 && some.some(isNull))
    return shapeOf(
      some.find((one) => !isNull(one))!,
      true,
    );
  switch (schema.type) {
    case 'string':
      return { kind: schema.format === pointer ? 'reference' : 'text', nullable };
    case 'number':
    case 'integer':
      return { kind: 'number', nullable };
    case 'boolean':
      return { kind: 'flag', nullable };
    case 'array':
      return { kind: 'list', of: shapeOf(schema.items as Schema), nullable };
    case 'object': {
      const { properties } = schema;
      const parts = properties && Object.fromEntries(Object.entries(properties).map(([name, one]) => [name, shapeOf(one as Schema)]));
      return { kind: 'parts', parts: parts ?? null, nullable };
    }
    default:
      return { kind: 'open', nullable };
  }
}

const spaced = (field: string): string => field.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`);
const toColumn = (field: string, shape: Shape): Column => ({ field, column: spaced(field), shape });
const known = new Map<SectionName, readonly Column[]>();

/** A column for each field of a section, in the order in which the package has them. */
export function fieldColumns(section: SectionName): readonly Column[] {
  let columns = known.get(section);
  if (!columns) {
    const { properties } = schemaOf(section);
    columns = Object.entries(properties!).map(([field, schema]) => toColumn(field, shapeOf(schema as Schema)));
    known.set(section, columns);
  }
  return columns;
}

/** Columns for the parts of each thing in a list that has a row for each. */
export function partColumns({ shape }: Column): readonly Column[] {
  if (shape.kind !== 'list' || shape.of.kind !== 'parts' || shape.of.parts === null) throw new Error('no list of things with parts');
  return Object.entries(shape.of.parts).map(([field, part]) => toColumn(field, part));
}

export const written = (wire: Wire, { field, shape }: Column): string => cellOf(wire[field], shape);
export const readCell = (cell: string, { shape }: Column): CellRead => valueOf(cell, shape);

const stateVersion = 'v2';
const earlierVersion = 'v1';
const whose = (repository: string): string => fingerprint({ repository });

/** What an item is like as it leaves, in the order of its fields: its column *state*. */
export const stateOf = (repository: string, wire: Wire, fields: readonly string[]): string =>
  [stateVersion, whose(repository), ...fields.map((field) => fingerprint(wire[field]))].join('.');

/** What was common when a table left, if its column *state* says so; fields that were added since are not in earlier tables. */
export function commonOf(state: string, repository: string, fields: readonly string[]): Common {
  const [version, ...rest] = state.split('.');
  const prints = version === stateVersion ? rest.slice(1) : rest;
  if ((version !== stateVersion && version !== earlierVersion) || prints.length === 0 || prints.length > fields.length) return 'theirs';
  // Of another repository it says only what that was like.
  if (version === stateVersion && rest[0] !== whose(repository)) return 'none';
  return { known: Object.fromEntries(prints.map((print, i) => [fields[i]!, print])) };
}

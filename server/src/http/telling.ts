import { sentence } from '@key-cellar/contract';
import { isMessage } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import * as z from 'zod';

type Say = Speaker['say'];
/** Puts sentences where the contract has sentences; hands on all else as it is. */
export type Telling = (value: unknown, say: Say) => unknown;

const known = new WeakMap<z.ZodType, Telling | null>();

/**
 * How answers of this form are told: every message that stands where the contract has a sentence becomes one. What people
 * wrote is never taken for a message, however it looks: a fact may be called `say`. Null where the form has no sentence.
 */
export function tellingOf(schema: z.ZodType): Telling | null {
  const found = known.get(schema);
  if (found !== undefined) return found;
  // A form that holds itself finds this while it is being worked out.
  known.set(schema, (value, say) => known.get(schema)?.(value, say) ?? value);
  const telling = make(schema);
  known.set(schema, telling);
  return telling;
}

function make(schema: z.ZodType): Telling | null {
  if (schema === (sentence as z.ZodType)) return (value, say) => (isMessage(value) ? say(value) : value);
  if (schema instanceof z.ZodObject) return ofObject(schema.shape as Record<string, z.ZodType>);
  if (schema instanceof z.ZodArray) return ofEach(schema.element as z.ZodType);
  if (schema instanceof z.ZodRecord) return ofValues(schema.valueType as z.ZodType);
  if (schema instanceof z.ZodUnion) return oneAfterAnother((schema.options as z.ZodType[]).map(tellingOf));
  if (
    schema instanceof z.ZodNullable ||
    schema instanceof z.ZodOptional ||
    schema instanceof z.ZodReadonly ||
    schema instanceof z.ZodDefault
  )
    return tellingOf(schema.unwrap() as z.ZodType);
  if (schema instanceof z.ZodLazy) return tellingOf(schema.unwrap() as z.ZodType);
  if (schema instanceof z.ZodIntersection)
    return oneAfterAnother([schema.def.left, schema.def.right].map((side) => tellingOf(side as z.ZodType)));
  return null;
}

function oneAfterAnother(all: readonly (Telling | null)[]): Telling | null {
  const some = all.filter((one) => one !== null);
  return some.length === 0 ? null : (value, say) => some.reduce((told, one) => one(told, say), value);
}

function ofEach(element: z.ZodType): Telling | null {
  const telling = tellingOf(element);
  return telling && ((value, say) => (Array.isArray(value) ? value.map((one) => telling(one, say)) : value));
}

const isObject = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);

function ofValues(valueType: z.ZodType): Telling | null {
  const telling = tellingOf(valueType);
  return (
    telling &&
    ((value, say) => (isObject(value) ? Object.fromEntries(Object.entries(value).map(([key, one]) => [key, telling(one, say)])) : value))
  );
}

function ofObject(shape: Record<string, z.ZodType>): Telling | null {
  const tellings = Object.entries(shape).flatMap(([key, part]) => {
    const telling = tellingOf(part);
    return telling ? [[key, telling] as const] : [];
  });
  if (tellings.length === 0) return null;
  return (value, say) => {
    // What has no sentence in it to tell in this form (null, a text, another of a union) stays.
    if (!isObject(value)) return value;
    const told = { ...value };
    for (const [key, telling] of tellings) if (key in told) told[key] = telling(told[key], say);
    return told;
  };
}

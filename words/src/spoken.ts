import { isMessage, type Message } from './message.js';

/** What is told as data, with every message in it as a sentence. */
export type Spoken<T> = T extends Message
  ? string
  : T extends readonly (infer One)[]
    ? readonly Spoken<One>[]
    : T extends object
      ? { [K in keyof T]: Spoken<T[K]> }
      : T;

/** Replaces every message in an answer by its sentence, at any depth; what holds none is handed on as it is. */
export function spoken<T>(value: T, say: (message: Message) => string): Spoken<T> {
  return walk(value, say) as Spoken<T>;
}

function walk(value: unknown, say: (message: Message) => string): unknown {
  if (typeof value !== 'object' || value === null) return value;
  if (isMessage(value)) return say(value);
  if (Array.isArray(value)) {
    let copy: unknown[] | null = null;
    for (let at = 0; at < value.length; at++) {
      const one: unknown = value[at];
      const said = walk(one, say);
      if (said !== one) (copy ??= [...(value as unknown[])])[at] = said;
    }
    return copy ?? value;
  }
  const prototype: unknown = Object.getPrototypeOf(value);
  // Dates, bytes and the like hold no messages.
  if (prototype !== Object.prototype && prototype !== null) return value;
  let copy: Record<string, unknown> | null = null;
  for (const key of Object.keys(value)) {
    const one = (value as Record<string, unknown>)[key];
    const said = walk(one, say);
    if (said !== one) (copy ??= { ...value })[key] = said;
  }
  return copy ?? value;
}

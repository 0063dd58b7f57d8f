// By hand: an entry is one text for ever, and a package that changed a corner of it would break every proof (RFC 8785).

const surrogate = /[\uD800-\uDFFF]/;
const loneSurrogate = /[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/;
/** A key that JavaScript moves to the front of an object, in whatever order it was given. */
const arrayIndex = /^(?:0|[1-9]\d*)$/;

function checkText(value: string): void {
  // Nearly no text has surrogates at all; only then is the slower look for lone ones worth its time.
  if (surrogate.test(value) && loneSurrogate.test(value)) {
    throw new TypeError('A lone surrogate is not Unicode text (RFC 8785 §3.2.2.2)');
  }
}

/**
 * The same value with its members in canonical order. Gives undefined when an object has keys that JavaScript itself
 * would put elsewhere. Throws TypeError for what JSON cannot say.
 */
function ordered(value: unknown): unknown {
  if (value === null || typeof value === 'boolean') return value;
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new TypeError('JSON has no such number');
    return value;
  }
  if (typeof value === 'string') {
    checkText(value);
    return value;
  }
  if (typeof value !== 'object') throw new TypeError(`JSON cannot hold a ${typeof value}`);
  if (Array.isArray(value)) {
    const items = value.map(ordered);
    return items.includes(undefined) ? undefined : items;
  }
  const result: Record<string, unknown> = {};
  let keeps = true;
  // Without a comparison, sort orders by UTF-16 code units, as the standard wants (§3.2.3).
  for (const key of Object.keys(value).sort()) {
    checkText(key);
    const member = ordered((value as Readonly<Record<string, unknown>>)[key]);
    if (member === undefined || arrayIndex.test(key) || key === '__proto__') keeps = false;
    else result[key] = member;
  }
  return keeps ? result : undefined;
}

/** Member by member, for objects that {@link ordered} cannot put in order. */
function written(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(written).join(',')}]`;
  if (typeof value !== 'object' || value === null) return JSON.stringify(value);
  const members = Object.keys(value)
    .sort()
    .map((key) => `${JSON.stringify(key)}:${written((value as Readonly<Record<string, unknown>>)[key])}`);
  return `{${members.join(',')}}`;
}

/**
 * Canonical JSON (RFC 8785): members sorted by UTF-16 code units, ECMAScript number and string serialisation, no spaces.
 * `JSON.stringify` writes just that once the members are in order.
 * Throws TypeError for what JSON cannot say (undefined members, functions, NaN, infinities, lone surrogates).
 */
export function canonicalJson(value: unknown): string {
  const inOrder = ordered(value);
  return inOrder === undefined ? written(value) : JSON.stringify(inOrder);
}

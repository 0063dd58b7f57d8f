/**
 * Canonical JSON (RFC 8785): members sorted by UTF-16 code units, ECMAScript number and string serialisation, no spaces.
 * Throws TypeError for what JSON cannot say (undefined members, functions, NaN, infinities, lone surrogates).
 */
export function canonicalJson(value: unknown): string {
  if (value === null || typeof value === 'boolean') return String(value);
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new TypeError('JSON has no such number');
    return JSON.stringify(value);
  }
  if (typeof value === 'string') {
    if (/[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/.test(value)) {
      throw new TypeError('A lone surrogate is not Unicode text (RFC 8785 §3.2.2.2)');
    }
    return JSON.stringify(value);
  }
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(',')}]`;
  if (typeof value === 'object') {
    const members = Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
      .map(([key, member]) => `${canonicalJson(key)}:${canonicalJson(member)}`);
    return `{${members.join(',')}}`;
  }
  throw new TypeError(`JSON cannot hold a ${typeof value}`);
}

/**
 * Values in the cells of a table: as people write them where they can, and so that each can be read again as what it was.
 *
 * A list stands on one line (`a; b`), a thing of several parts too (`level: 2 | caveats: ["legal"]`), a list of such things has a line for
 * each. What has an end of its own within one of these, or could be taken for something else, stands in quotation marks as in JSON (RFC 8259);
 * so does whatever is nested deeper.
 */

/** What things point at by name. */
export const referenceKinds = [
  'person',
  'group',
  'tag',
  'party',
  'object',
  'rule',
  'numbering',
  'detector',
  'stencil',
  'place',
  'record',
] as const;
export type ReferenceKind = (typeof referenceKinds)[number];

/** What may stand in a field. */
export type Shape =
  | { readonly kind: 'text' | 'number' | 'flag' | 'reference' | 'open'; readonly nullable: boolean }
  | { readonly kind: 'list'; readonly of: Shape; readonly nullable: boolean }
  /** `parts` null: names are anybody's, and their values open. */
  | { readonly kind: 'parts'; readonly parts: Readonly<Record<string, Shape>> | null; readonly nullable: boolean };

/** What a cell was read as, or that it cannot be. */
export type CellRead = { readonly ok: true; readonly value: unknown } | { readonly ok: false };

const flags = { yes: true, no: false } as const;
const open: Shape = { kind: 'open', nullable: false };
const isSimple = (shape: Shape): boolean => shape.kind !== 'list' && shape.kind !== 'parts';

/** Ends something in a line, or could be taken for a quotation. */
const ends = /[;|"\n\r]/;

function parsed(text: string): CellRead {
  try {
    return { ok: true, value: JSON.parse(text) as unknown };
  } catch {
    return { ok: false };
  }
}

/** An open value: a text as it is unless it could be read as something else. */
function openText(value: unknown, within: boolean): string {
  if (typeof value !== 'string') return JSON.stringify(value);
  const plain = value !== '' && value === value.trim() && !parsed(value).ok && !(within && ends.test(value));
  return plain ? value : JSON.stringify(value);
}

/** A simple value, alone in its cell or within a line. */
function simpleText(value: unknown, shape: Shape, within: boolean): string {
  switch (shape.kind) {
    case 'flag':
      return value === true ? 'yes' : 'no';
    case 'number':
      return String(value);
    case 'reference': {
      const { refers, to } = value as { refers: string; to: string };
      return quoted(`${refers} ${to}`, within);
    }
    case 'text':
      return quoted(String(value), within);
    default:
      return openText(value, within);
  }
}

const quoted = (text: string, within: boolean): string =>
  within && (text === '' || text !== text.trim() || ends.test(text)) ? JSON.stringify(text) : text;

/** Things of several parts on a line; null where their names do not let them. */
function lineOf(value: object, parts: Readonly<Record<string, Shape>> | null): string | null {
  const given = Object.entries(value).filter(([, one]) => one !== null && one !== undefined);
  if (given.some(([name]) => /[:|"\n\r]/.test(name) || name !== name.trim() || name === '')) return null;
  return given
    .map(([name, one]) => {
      const shape = parts?.[name] ?? open;
      return `${name}: ${isSimple(shape) ? simpleText(one, shape, true) : JSON.stringify(one)}`;
    })
    .join(' | ');
}

/** An open thing without parts, where none at all would be read as that. */
const isNothing = (value: object, shape: Shape & { kind: 'parts' }): boolean =>
  shape.parts === null && !shape.nullable && Object.keys(value).length === 0;

/** A value as it stands in a cell of a table. Nothing, and no value, is an empty cell. */
export function cellOf(value: unknown, shape: Shape): string {
  if (value === null || value === undefined) return '';
  if (shape.kind === 'parts') return lineOf(value, shape.parts) || (isNothing(value, shape) ? '' : JSON.stringify(value));
  if (shape.kind !== 'list') return simpleText(value, shape, false);
  const list = value as readonly unknown[];
  const { of } = shape;
  if (isSimple(of)) return list.map((one) => simpleText(one, of, true)).join('; ');
  if (of.kind === 'list' || list.length === 0) return list.length === 0 ? '' : JSON.stringify(list);
  const lines = list.map((one) => lineOf(one as object, of.kind === 'parts' ? of.parts : null));
  return lines.every(Boolean) ? lines.join('\n') : JSON.stringify(list);
}

/** Pieces of a text between separators that stand in no quotation. */
function pieces(text: string, separator: string): string[] {
  const found = [''];
  for (let at = 0, quotation = false; at < text.length; at++) {
    const char = text[at]!;
    if (quotation && char === '\\') {
      found[found.length - 1] += char + (text[++at] ?? '');
      continue;
    }
    if (char === '"') quotation = !quotation;
    if (char === separator && !quotation) found.push('');
    else found[found.length - 1] += char;
  }
  return found.map((piece) => piece.trim()).filter(Boolean);
}

const wrong: CellRead = { ok: false };
const right = (value: unknown): CellRead => ({ ok: true, value });

/** All of several that were read, or that one cannot be. */
function allOf(read: readonly CellRead[]): CellRead {
  const values: unknown[] = [];
  for (const one of read) {
    if (!one.ok) return wrong;
    values.push(one.value);
  }
  return right(values);
}

function simpleOf(text: string, shape: Shape, within: boolean): CellRead {
  if (shape.kind === 'open') {
    const json = parsed(text);
    return json.ok ? json : right(text);
  }
  const read = within && text.startsWith('"') ? parsed(text) : right(text);
  if (!read.ok || typeof read.value !== 'string') return wrong;
  const plain = read.value;
  switch (shape.kind) {
    case 'flag': {
      const flag = flags[plain.toLowerCase() as keyof typeof flags] as boolean | undefined;
      return flag === undefined ? wrong : right(flag);
    }
    case 'number':
      return plain.trim() === '' || !Number.isFinite(Number(plain)) ? wrong : right(Number(plain));
    case 'reference': {
      const space = plain.indexOf(' ');
      const refers = referenceKinds.find((kind) => kind === plain.slice(0, Math.max(0, space)));
      return refers === undefined ? wrong : right({ refers, to: plain.slice(space + 1) });
    }
    default:
      return right(plain);
  }
}

/** What nothing in a field means. */
function nothing(shape: Shape): CellRead {
  if (shape.nullable) return right(null);
  if (shape.kind === 'text') return right('');
  if (shape.kind === 'list') return right([]);
  if (shape.kind === 'parts' && shape.parts === null) return right({});
  return wrong;
}

function partsOf(text: string, parts: Readonly<Record<string, Shape>> | null): CellRead {
  const value = new Map<string, unknown>();
  for (const piece of pieces(text, '|')) {
    const colon = piece.indexOf(':');
    if (colon < 1) return wrong;
    const [name, rest] = [piece.slice(0, colon).trim(), piece.slice(colon + 1).trim()];
    const shape = !parts ? open : Object.hasOwn(parts, name) ? parts[name] : undefined;
    if (!shape || value.has(name)) return wrong;
    const read = isSimple(shape) ? simpleOf(rest, shape, true) : parsed(rest);
    if (!read.ok) return wrong;
    value.set(name, read.value);
  }
  for (const [name, shape] of Object.entries(parts ?? {})) if (!value.has(name) && shape.nullable) value.set(name, null);
  return right(Object.fromEntries(value));
}

/** What a cell says; `ok: false` where it is nothing that may stand in the field. Whether it is sound is looked at by whoever takes it. */
export function valueOf(cell: string, shape: Shape): CellRead {
  const text = cell.trim();
  if (text === '') return nothing(shape);
  switch (shape.kind) {
    case 'parts': {
      const json = text.startsWith('{') ? parsed(text) : wrong;
      return json.ok ? json : partsOf(text, shape.parts);
    }
    case 'list': {
      const { of } = shape;
      if (isSimple(of)) return allOf(pieces(text, ';').map((piece) => simpleOf(piece, of, true)));
      const json = text.startsWith('[') ? parsed(text) : wrong;
      if (json.ok || of.kind !== 'parts') return json;
      return allOf(pieces(text, '\n').map((line) => partsOf(line, of.parts)));
    }
    default:
      return simpleOf(text, shape, false);
  }
}

// npm run words: lists every sentence that a person may read, with where it stands and how it is said in German; brings the catalogue of the
// interface up to its sources. With --check: refuses messages that say other things than their catalogue, and sentences without a translation.
// With --check built: refuses a built interface that says what its catalogue does not have.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse, TYPE, type MessageFormatElement } from '@formatjs/icu-messageformat-parser';
import { de } from '@key-cellar/words/de';
import { en } from '@key-cellar/words/en';
import * as prettier from 'prettier';
import ts from 'typescript';
import { root } from './lib/paths.mjs';
import { wordsOfBuild, wordsOfSources } from './lib/webWords.mjs';

type Catalogue = Record<string, [english: string, german: string]>;

const interfaceFile = join(root, 'web', 'src', 'words', 'de.json');
const ofInterface = JSON.parse(readFileSync(interfaceFile, 'utf8')) as Catalogue;
const messages: Readonly<Record<string, string>> = en;
const german: Readonly<Record<string, string>> = de;
const wrong: string[] = [];

/** Names of what goes into an ICU message. */
function argumentsOf(pattern: string): Set<string> {
  const names = new Set<string>();
  const walk = (parts: readonly MessageFormatElement[]): void => {
    for (const part of parts) {
      if (part.type === TYPE.argument || part.type === TYPE.number || part.type === TYPE.date || part.type === TYPE.time)
        names.add(part.value);
      if (part.type === TYPE.select || part.type === TYPE.plural) {
        names.add(part.value);
        for (const option of Object.values(part.options)) walk(option.value);
      }
    }
  };
  walk(parse(pattern, { ignoreTag: true }));
  return names;
}

const list = (names: Iterable<string>): string => [...names].sort().join(', ');

/** A place where a message is told: its code, or the beginning and end of one that is put together; null for names that are not written out. */
interface Told {
  readonly code: RegExp;
  readonly given: Set<string> | null;
  readonly where: string;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

function codesIn(node: ts.Expression): RegExp[] {
  if (ts.isParenthesizedExpression(node) || ts.isAsExpression(node)) return codesIn(node.expression);
  if (ts.isConditionalExpression(node)) return [...codesIn(node.whenTrue), ...codesIn(node.whenFalse)];
  if (ts.isStringLiteralLike(node)) return [new RegExp(`^${escaped(node.text)}$`)];
  if (ts.isTemplateExpression(node)) {
    const rest = node.templateSpans.map((span) => `.+${escaped(span.literal.text)}`).join('');
    return [new RegExp(`^${escaped(node.head.text)}${rest}$`)];
  }
  return [];
}

function toldIn(file: string): Told[] {
  const source = ts.createSourceFile(file, readFileSync(join(root, file), 'utf8'), ts.ScriptTarget.Latest, true);
  const found: Told[] = [];
  const visit = (node: ts.Node): void => {
    if (ts.isCallExpression(node) && node.expression.getText(source) === 'message' && node.arguments[0]) {
      const [, values] = node.arguments;
      const spread = values && !(ts.isObjectLiteralExpression(values) && values.properties.every((p) => p.name !== undefined));
      const given = spread
        ? null
        : new Set(values && ts.isObjectLiteralExpression(values) ? values.properties.map((p) => p.name!.getText(source)) : []);
      const where = `${file}:${source.getLineAndCharacterOfPosition(node.getStart(source)).line + 1}`;
      for (const code of codesIn(node.arguments[0])) found.push({ code, given, where });
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found;
}

const sources = execFileSync(
  'git',
  ['ls-files', '--cached', '--others', '--exclude-standard', 'core/src', 'contract/src', 'server/src', 'web/src'],
  { cwd: root, encoding: 'utf8' },
)
  .trim()
  .split('\n')
  .filter((file) => file.endsWith('.ts') && !file.endsWith('.spec.ts'));
const told = sources.flatMap(toldIn);
/** Told by their names elsewhere: by the database, by what checks input, by the speaker itself. */
const toldByName = /^(?:input\.|problem\.jobCancelled$|shared\.noTime$|shared\.asIs$|shared\.oneAfterAnother$)/;

const placesOf = new Map(Object.keys(messages).map((code) => [code, told.filter((t) => t.code.test(code))]));

function checkMessages(): void {
  for (const [code, pattern] of Object.entries(messages)) {
    const wanted = argumentsOf(pattern);
    const translated = german[code] ?? '';
    if (translated === '' && pattern !== '') wrong.push(`${code} has no German.`);
    else if (list(argumentsOf(translated)) !== list(wanted))
      wrong.push(`${code} takes ${list(wanted)} in English and ${list(argumentsOf(translated))} in German.`);
    const places = placesOf.get(code)!;
    if (places.length === 0 && !toldByName.test(code)) wrong.push(`${code} is told nowhere.`);
    for (const { given, where } of places) {
      const lacking = given === null || toldByName.test(code) ? [] : [...wanted].filter((name) => !given.has(name));
      if (lacking.length > 0) wrong.push(`${where}: ${code} also takes ${list(lacking)}.`);
    }
  }
}

const placeholders = (text: string): string => list(text.match(/\{\$\w+\}/g) ?? []);

function checkInterface(): void {
  for (const [english, translated] of Object.values(ofInterface)) {
    if (translated === '' && english.trim() !== '') wrong.push(`“${english}” has no German.`);
    else if (placeholders(english) !== placeholders(translated)) wrong.push(`“${english}” takes other placeholders in German.`);
  }
}

function checkBuilt(): void {
  const found = wordsOfBuild(join(root, 'web', 'dist', 'web', 'browser'));
  for (const [id, { text }] of found)
    if (!Object.hasOwn(ofInterface, id)) wrong.push(`“${text}” is not in the catalogue. Run: npm run words`);
  for (const [id, [english]] of Object.entries(ofInterface))
    if (!found.has(id)) wrong.push(`“${english}” is said nowhere any more. Run: npm run words`);
}

const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** Lists all sentences, and writes the catalogue of the interface anew: what is new without a translation, what is gone left out. */
async function listAll(): Promise<void> {
  const found = await wordsOfSources();
  const known = new Map(Object.values(ofInterface));
  const entries = [...found].sort(([a, x], [b, y]) => order(x.text.trim().toLowerCase(), y.text.trim().toLowerCase()) || order(a, b));
  const catalogue = Object.fromEntries(entries.map(([id, { text }]) => [id, [text, ofInterface[id]?.[1] ?? known.get(text) ?? '']]));
  const options = { ...(await prettier.resolveConfig(interfaceFile)), parser: 'json' };
  writeFileSync(interfaceFile, await prettier.format(JSON.stringify(catalogue), options));
  const out = (text: string): void => void process.stdout.write(`${text}\n`);
  for (const [id, { text, where }] of entries)
    out(`${text.trim()}\n    ${catalogue[id]![1]!.trim() || '(no German)'}\n    ${where.join(' ')}`);
  for (const [code, pattern] of Object.entries(messages)) {
    const places = placesOf.get(code)!.map((t) => t.where);
    out(`${pattern}\n    ${german[code] ?? '(no German)'}\n    ${code} ${places.join(' ')}`);
  }
}

if (!process.argv.includes('--check')) await listAll();
else if (process.argv.includes('built')) checkBuilt();
else {
  checkMessages();
  checkInterface();
}
if (wrong.length > 0) {
  process.stdout.write(`${wrong.join('\n')}\n`);
  process.exitCode = 1;
}

// What the web application needs of the contract while it runs: where each endpoint is, and lists of words. The schemas
// stay with the server, which checks by them (a form that asks one imports it from its own file, `@key-cellar/contract/…`);
// the types are the contract's own. Written before each build of the web application.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as contract from '@key-cellar/contract';

const contractFile = fileURLToPath(import.meta.resolve('@key-cellar/contract'));
const to = process.argv[2];
if (!to) throw new Error('Say where to: node --import tsx tools/wire.ts FILE');

const within = (file: string): string => relative(dirname(to), file).split(sep).join('/').replace(/\.ts$/, '.js');

interface Place {
  readonly method: string;
  readonly path: string;
}
const isPlace = (value: unknown): value is Place => typeof value === 'object' && value !== null && 'method' in value && 'path' in value;
const isPlain = (value: unknown): boolean =>
  typeof value === 'string' || typeof value === 'number' || (Array.isArray(value) && value.every((item) => isPlain(item)));

const lines = [`export type * from '${within(contractFile)}';`, `import type * as contract from '${within(contractFile)}';`];
for (const [name, value] of Object.entries(contract)) {
  const members = Object.entries<unknown>(Object(value) as Record<string, unknown>);
  const places = members.flatMap(([key, member]) => (isPlace(member) ? [[key, { method: member.method, path: member.path }]] : []));
  const said = isPlain(value) ? value : typeof value === 'object' && places.length === members.length ? Object.fromEntries(places) : null;
  if (said !== null) lines.push(`export const ${name} = ${JSON.stringify(said)} as unknown as typeof contract.${name};`);
}
mkdirSync(dirname(to), { recursive: true });
writeFileSync(to, `${lines.join('\n')}\n`);

import { createHash } from 'node:crypto';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import type { Client } from './world.js';

/** The files of a package, by the names of their sections. */
export type Items = Record<string, Record<string, unknown>[]>;

export async function bytesOf(client: Client): Promise<Buffer> {
  const response = await client.fetch('/api/package');
  if (!response.ok) throw new Error(await response.text());
  return Buffer.from(await response.arrayBuffer());
}

export function itemsIn(bytes: Buffer): Items {
  const files = Object.entries(unzipSync(bytes)).filter(([name]) => name !== 'manifest.json');
  return Object.fromEntries(files.map(([name, data]) => [name.replace('.json', ''), JSON.parse(strFromU8(data)) as Items[string]]));
}

/** A package with these items, whose manifest says so; `change` may spoil its files. */
export function packed(items: Items, change: (files: Record<string, Uint8Array>) => void = () => undefined): Buffer {
  const files = Object.fromEntries(Object.entries(items).map(([name, list]) => [`${name}.json`, strToU8(JSON.stringify(list))]));
  const sections = Object.entries(items).map(([name, list]) => ({
    name,
    file: `${name}.json`,
    items: list.length,
    sha256: createHash('sha256').update(files[`${name}.json`]!).digest('hex'),
  }));
  files['manifest.json'] = strToU8(JSON.stringify({ format: 'key-cellar-package', version: 1, sections }));
  change(files);
  return Buffer.from(zipSync(files));
}

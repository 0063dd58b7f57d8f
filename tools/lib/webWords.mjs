import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { MessageExtractor } from '@angular/localize/tools';
import { exec } from './exec.mjs';
import { root } from './paths.mjs';
import { Stop } from './say.mjs';

const files = {
  readFile: (path) => readFileSync(path, 'utf8'),
  exists: existsSync,
  dirname,
  relative,
  resolve,
};
const logger = { level: 2, debug() {}, info() {}, warn: console.warn, error: console.error };

/** Sentences of the interface that stand in the scripts of a built folder: id → { text, where }. */
export function wordsOfBuild(folder, { useSourceMaps = false } = {}) {
  const extractor = new MessageExtractor(files, logger, { basePath: root, useSourceMaps });
  const found = new Map();
  for (const name of readdirSync(folder)) {
    if (!name.endsWith('.js')) continue;
    for (const { id, text, location } of extractor.extractMessages(join(folder, name))) {
      const where = useSourceMaps && location ? `${relative(root, location.file)}:${location.start.line + 1}` : name;
      const known = found.get(id);
      if (!known) found.set(id, { text, where: [where] });
      else if (!known.where.includes(where)) known.where.push(where);
    }
  }
  return found;
}

/** Builds the interface beside what is served, with source maps, and gives its sentences with where they stand. */
export async function wordsOfSources() {
  const folder = join(root, '.data', 'words');
  const result = await exec('npx', ['ng', 'build', '--source-map', '--output-path', folder, '--output-hashing', 'none'], {
    env: { NG_CLI_ANALYTICS: 'false' },
  });
  if (result.code !== 0) throw new Stop(`The web application could not be built:\n${result.output.slice(-3000)}`);
  return wordsOfBuild(join(folder, 'browser'), { useSourceMaps: true });
}

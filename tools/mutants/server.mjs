// Mutants of the server: each is put into a copy of the tree, and the specs that must notice it are run there.
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { exec } from '../lib/exec.mjs';
import { dataDir, root } from '../lib/paths.mjs';
import { say, Stop } from '../lib/say.mjs';

const atOnce = 2;
const copied = ['server', 'tools', 'docs'];
const left = new Set(['.git', '.data', 'dist', ...copied]);
/** A mutant that cannot even be read says nothing about the specs, and neither does a run that did not come to its end. */
const unreadable = /syntax error|SyntaxError|TransformError|Transform failed|Build failed/;
const ended = /\d+ specs?, \d+ failures?|docs\/acts\.md/;

function copyOf(n) {
  const home = join(dataDir, 'mutants', `copy-${n}`);
  rmSync(home, { recursive: true, force: true });
  mkdirSync(home, { recursive: true });
  for (const name of readdirSync(root).filter((name) => !left.has(name))) symlinkSync(join(root, name), join(home, name));
  for (const name of copied) cpSync(join(root, name), join(home, name), { recursive: true, filter: (path) => basename(path) !== 'dist' });
  return home;
}

const build = `import('./tools/lib/build.mjs').then(({ buildServer }) => buildServer())`;

/** Runs specs in a copy of the tree, with threads and processes from bundles of that copy. */
async function runSpecs(home, specs, url) {
  const built = await exec(process.execPath, ['-e', build], { cwd: home });
  if (built.code !== 0) return built;
  return exec(
    process.execPath,
    [
      '--import',
      'tsx',
      join('node_modules', 'jasmine', 'bin', 'jasmine.js'),
      '--config=server/jasmine.json',
      '--fail-fast',
      ...specs.map((s) => `server/spec/${s}.spec.ts`),
    ],
    { cwd: home, env: { TEST_DATABASE_URL: url, SERVER_BUNDLES: join(home, 'dist', 'server') } },
  );
}

const runTable = (home) => exec(process.execPath, ['--import', 'tsx', 'tools/acts.ts', '--check'], { cwd: home });

/** The text with one mutant in it. A mutant whose text is not there once is out of date, and stops everything. */
export function mutated(text, { find, at, put, promise, file }) {
  if (at !== undefined) return text.slice(0, at[0]) + put + text.slice(at[1]);
  const parts = text.split(find);
  if (parts.length !== 2) throw new Stop(`“${promise}”: its text stands ${parts.length - 1} times in ${file}, not once.`);
  return parts.join(put);
}

async function isNoticed(home, mutant, url) {
  const path = join(home, mutant.file);
  const text = readFileSync(path, 'utf8');
  writeFileSync(path, mutated(text, mutant));
  try {
    const { code, output } = mutant.specs === 'table' ? await runTable(home) : await runSpecs(home, mutant.specs, url);
    if (unreadable.test(output) || (code !== 0 && !ended.test(output)))
      throw new Stop(`“${mutant.promise}” cannot be tried:\n${output.slice(-2000)}`);
    return code !== 0;
  } finally {
    writeFileSync(path, text);
  }
}

/**
 * Puts mutants in one at a time. Each is `{ area, promise, file, find | at, put, specs }`, with `specs` “table” for those that
 * the comparison of the table of acts must notice. `tested`: the specs have just passed without any. Gives for every area how many were noticed, and those that were not.
 */
export async function mutateServer(mutants, url, { tested = false } = {}) {
  for (const mutant of mutants) mutated(readFileSync(join(root, mutant.file), 'utf8'), mutant);
  const homes = Array.from({ length: atOnce }, (_, n) => copyOf(n));
  const specs = tested ? [] : [...new Set(mutants.flatMap((m) => (m.specs === 'table' ? [] : m.specs)))];
  const share = homes.map((_, n) => specs.filter((__, i) => i % atOnce === n));
  const sound = await Promise.all(share.map((some, n) => (some.length === 0 ? null : runSpecs(homes[n], some, url))));
  for (const result of sound) {
    if (result && result.code !== 0) throw new Stop(`The specs fail without any mutant:\n${result.output.slice(-4000)}`);
  }
  const areas = new Map();
  const waiting = [...mutants];
  const work = async (home) => {
    for (let mutant; (mutant = waiting.shift());) {
      const noticed = await isNoticed(home, mutant, url);
      say(`${noticed ? 'noticed' : 'NOT NOTICED'}  ${mutant.area}: ${mutant.promise}`);
      const result = areas.get(mutant.area) ?? { area: mutant.area, noticed: 0, total: 0, missed: [] };
      areas.set(mutant.area, result);
      result.total += 1;
      if (noticed) result.noticed += 1;
      else result.missed.push(mutant);
    }
  };
  await Promise.all(homes.map(work));
  for (const home of homes) rmSync(home, { recursive: true, force: true });
  return [...areas.values()];
}

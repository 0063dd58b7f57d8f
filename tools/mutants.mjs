// npm run mutants [core|guards|rights|decisions|<area> …]: takes guards out and changes the core, one at a time, and says which
// of it the specs notice. The results of whole runs stand in docs/testing.md. It takes an hour, so it is no part of npm test.
// --check: only whether every guard that is taken out still stands where it is looked for.
// --only=TEXT: of the server's only those whose promise has this text in it.
// --tested: npm test has just passed, so that the specs are not run without a mutant first.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { testCluster } from './lib/cluster.mjs';
import { ensureInstalled } from './lib/install.mjs';
import { root } from './lib/paths.mjs';
import { run, say } from './lib/say.mjs';
import { coreAreas, mutateCore } from './mutants/core.mjs';
import { guards } from './mutants/guards.mjs';
import { mutated, mutateServer } from './mutants/server.mjs';
import { tableMutants } from './mutants/table.mjs';

const page = join(root, 'docs', 'testing.md');
const named = guards.map(([area, promise, file, find, put, specs]) => ({ area, promise, file, find, put, specs }));
const tested = process.argv.includes('--tested');
const only = process.argv.find((arg) => arg.startsWith('--only='))?.slice('--only='.length) ?? '';
const asked = process.argv.slice(2).filter((name) => !name.startsWith('--'));
const wants = (...names) => asked.length === 0 || names.some((name) => asked.includes(name));

const share = ({ noticed, total }) => `${((100 * noticed) / total).toFixed(1).replace(/\.0$/, '')} %`;
const line = (name) => (result) => `| ${name(result)} | ${result.total} | ${result.noticed} | ${share(result)} |`;

/** Puts a table between its marks in docs/testing.md. */
function keep(mark, text) {
  const [open, close] = [`<!-- ${mark} -->`, `<!-- /${mark} -->`];
  const all = readFileSync(page, 'utf8');
  const [before, rest] = all.split(open);
  writeFileSync(page, `${before}${open}\n\n${text}\n\n${close}${rest.split(close)[1]}`);
}

const head = '| area | mutants | noticed | |\n|---|---:|---:|---:|';

await run(async () => {
  if (process.argv.includes('--check')) {
    for (const mutant of [...named, ...tableMutants()]) mutated(readFileSync(join(root, mutant.file), 'utf8'), mutant);
    return;
  }
  await ensureInstalled();
  const core = [];
  // “access” and others are areas of both.
  for (const area of coreAreas.filter((area) => only === '' && wants('core', area))) core.push(await mutateCore(area));
  if (core.length === coreAreas.length) keep('core', [head, ...core.map(line((r) => r.area))].join('\n'));
  for (const { missed } of core) for (const m of missed) say(`  ${m.file}:${m.line} ${m.kind}: ${m.was} → ${m.put}`);

  const mutants = [...named, ...tableMutants()].filter(
    ({ area, promise }) => promise.includes(only) && (wants(area) || (wants('guards') && area !== 'rights' && area !== 'decisions')),
  );
  if (mutants.length === 0) return;
  const own = testCluster('mutants-cluster');
  try {
    const server = await mutateServer(mutants, await own.start(), { tested });
    const missed = server.flatMap((r) => r.missed.map((m) => `- ${r.area}: ${m.promise} (\`${m.file}\`)`));
    if (asked.length === 0 && only === '') {
      const rest = missed.length === 0 ? 'None was left unnoticed.' : `Not noticed:\n\n${missed.join('\n')}`;
      keep('server', [head, ...server.map(line((r) => r.area)), '', rest].join('\n'));
    }
    for (const one of server) say(`${one.area}: ${one.noticed} of ${one.total} noticed`);
  } finally {
    await own.stop();
  }
});

// npm run check: types, lint with boundaries, format.
import { exec } from './lib/exec.mjs';
import { ensureInstalled } from './lib/install.mjs';
import { run, say } from './lib/say.mjs';

export const checks = [
  ['types of words', ['tsc', '-p', 'words']],
  ['types of core', ['tsc', '-p', 'core']],
  ['types of contract', ['tsc', '-p', 'contract']],
  ['types of server', ['tsc', '-p', 'server']],
  ['types of demo', ['tsc', '-p', 'demo']],
  ['types of the journeys', ['tsc', '-p', 'e2e']],
  ['types of the benchmarks', ['tsc', '-p', 'bench']],
  ['types of the tools', ['tsc', '-p', 'tools']],
  ['templates and types of web', ['ngc', '-p', 'web/tsconfig.app.json', '--noEmit']],
  ['lint and boundaries', ['eslint', '.']],
  ['nothing that nobody uses', ['knip', '--include', 'files,exports,types,duplicates', '--no-progress', '--no-config-hints']],
  ['layers, drawn as they are', ['node', 'tools/layers.mjs', '--check']],
  ['acts, written down as they are', ['node', '--import', 'tsx', 'tools/acts.ts', '--check']],
  ['patterns of retention, written down as they are', ['node', '--import', 'tsx', 'tools/patterns.ts', '--check']],
  ['words, each in every language', ['node', '--import', 'tsx', 'tools/words.ts', '--check']],
  ['guards, where their mutants take them out', ['node', 'tools/mutants.mjs', '--check']],
  ['parts of the interface, each with its look', ['node', 'tools/look.mjs']],
  ['format', ['prettier', '--check', '--log-level', 'warn', '.']],
];

/** Runs all checks, two at a time; gives the names of those that failed. */
export async function runChecks() {
  const failed = [];
  const waiting = [...checks];
  const worker = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      const [name, command] = next;
      const [program, ...args] = command[0] === 'node' ? [process.execPath, ...command.slice(1)] : ['npx', ...command];
      const result = await exec(program, args);
      say(`${result.code === 0 ? 'ok     ' : 'FAILED '} ${name}`);
      if (result.code !== 0) {
        failed.push(name);
        process.stdout.write(result.output);
      }
    }
  };
  await Promise.all([worker(), worker()]);
  return failed;
}

if (process.argv[1] && import.meta.url.endsWith('/tools/check.mjs') && process.argv[1].endsWith('check.mjs')) {
  await run(async () => {
    await ensureInstalled();
    if ((await runChecks()).length > 0) process.exitCode = 1;
  });
}

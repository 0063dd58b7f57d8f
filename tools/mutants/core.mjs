// Mutants of the computing core, area by area: each is judged by the specs of its own area.
import { mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { exec } from '../lib/exec.mjs';
import { dataDir, root } from '../lib/paths.mjs';
import { say } from '../lib/say.mjs';

const home = join(dataDir, 'mutants');

export const coreAreas = readdirSync(join(root, 'core', 'src'));

const dead = new Set(['Killed', 'Timeout', 'RuntimeError']);
const alive = new Set(['Survived', 'NoCoverage']);

/** Mutants of one area: how many were noticed, and those that were not, by file. Texts of messages are left out. */
export async function mutateCore(area) {
  const work = join(home, `core-${area}`);
  mkdirSync(work, { recursive: true });
  const report = join(work, 'report.json');
  const specs = join(work, 'jasmine.json');
  const settings = join(work, 'stryker.config.json');
  writeFileSync(
    specs,
    JSON.stringify({
      spec_dir: '.',
      spec_files: [`core/src/${area}/**/*.spec.ts`],
      helpers: ['tools/mutants/briefly.mjs'],
      random: false,
    }),
  );
  writeFileSync(
    settings,
    JSON.stringify({
      testRunner: 'jasmine',
      plugins: ['@stryker-mutator/jasmine-runner'],
      jasmineConfigFile: specs,
      testRunnerNodeArgs: ['--import', 'tsx'],
      coverageAnalysis: 'perTest',
      mutate: [`core/src/${area}/**/*.ts`, '!core/src/**/*.spec.ts', '!core/src/**/testing/**'],
      mutator: { excludedMutations: ['StringLiteral'] },
      ignorePatterns: ['.data', 'dist', 'web', 'docs', 'e2e', 'demo', 'server', 'bench', 'test-results'],
      reporters: ['json', 'progress-append-only'],
      jsonReporter: { fileName: report },
      tempDirName: join(work, 'sandbox'),
      concurrency: 2,
      timeoutMS: 4000,
      checkers: [],
    }),
  );
  const { code, output } = await exec('npx', ['stryker', 'run', settings], { echo: true });
  if (code !== 0) throw new Error(`Mutating ${area} failed:\n${output.slice(-3000)}`);
  const { files } = JSON.parse(readFileSync(report, 'utf8'));
  let noticed = 0;
  const missed = [];
  for (const [file, { mutants, source }] of Object.entries(files)) {
    const lines = source.split('\n');
    for (const { status, location, mutatorName, replacement } of mutants) {
      if (dead.has(status)) noticed += 1;
      else if (alive.has(status))
        missed.push({
          file: file.replace(/^core\/src\//, ''),
          line: location.start.line,
          kind: mutatorName,
          was: lines[location.start.line - 1].trim(),
          put: replacement,
        });
    }
  }
  const total = noticed + missed.length;
  say(`core ${area}: ${noticed} of ${total} noticed`);
  return { area, noticed, total, missed };
}

import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { exec } from './exec.mjs';
import { root } from './paths.mjs';
import { say, Stop } from './say.mjs';
import { bundleWeb } from './webBundle.mjs';

function filesUnder(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return entry.name === 'node_modules' || entry.name === 'dist' ? [] : filesUnder(path);
    return /\.spec\.ts$/.test(entry.name) ? [] : [path];
  });
}

function fingerprint(paths) {
  const hash = createHash('sha256');
  for (const path of paths.flatMap((p) => (existsSync(p) && readdirSyncSafe(p) ? filesUnder(p) : [p])).sort()) {
    hash.update(path.slice(root.length)).update(readFileSync(path));
  }
  return hash.digest('hex');
}

function readdirSyncSafe(path) {
  try {
    readdirSync(path);
    return true;
  } catch {
    return false;
  }
}

/** Does `work` unless the sources are what they were when it was last done. */
async function unlessFresh(stampFile, sources, work) {
  const now = fingerprint(sources.map((s) => join(root, s)));
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === now) return;
  await work();
  mkdirSync(dirname(stampFile), { recursive: true });
  writeFileSync(stampFile, now);
}

/** Builds the web application into web/dist when its sources changed. */
export async function buildWeb() {
  const stamp = join(root, 'web', 'dist', '.stamp');
  await unlessFresh(
    stamp,
    [
      ...['web/src', 'web/public', 'words/src', 'core/src', 'contract/src', 'tools/wire.ts', 'tools/lib/webBundle.mjs'],
      ...['angular.json', 'web/package.json', 'web/tsconfig.json', 'web/tsconfig.app.json', 'web/tsconfig.build.json', 'package-lock.json'],
    ],
    async () => {
      say('Building the web application (a minute) …');
      const made = async (program, args) => {
        const result = await exec(program, args, { env: { NG_CLI_ANALYTICS: 'false' } });
        if (result.code !== 0) throw new Stop(`The web application could not be built:\n${result.output.slice(-3000)}`);
      };
      await made(process.execPath, ['--import', 'tsx', 'tools/wire.ts', join(root, 'dist', 'wire', 'index.ts')]);
      await made('npx', ['ng', 'build', '--stats-json']);
      await bundleWeb(join(root, 'web', 'dist', 'web'));
    },
  );
}

/** Where the bundles of the server are. */
export const serverBundles = join(root, 'dist', 'server');

/** Bundles the server into dist/server when its sources changed; packages from npm stay outside. */
export async function buildServer() {
  const stamp = join(root, 'dist', '.stamp');
  await unlessFresh(
    stamp,
    ['server/src', 'words/src', 'core/src', 'contract/src', 'tools/lib/build.mjs', 'package-lock.json'],
    async () => {
      const { build } = await import('esbuild');
      const external = ['server', 'words', 'core', 'contract'].flatMap((name) =>
        Object.keys(JSON.parse(readFileSync(join(root, name, 'package.json'), 'utf8')).dependencies ?? {}).filter(
          (d) => !d.startsWith('@key-cellar/'),
        ),
      );
      rmSync(serverBundles, { recursive: true, force: true });
      await build({
        entryPoints: ['main', 'jobThread', 'pageThread', 'readThread', 'effectThread', 'ledgerThread'].map((name) =>
          join(root, 'server', 'src', `${name}.ts`),
        ),
        outdir: serverBundles,
        outExtension: { '.js': '.mjs' },
        bundle: true,
        // What is imported when it is needed stands in a file of its own.
        splitting: true,
        platform: 'node',
        target: 'node20',
        format: 'esm',
        sourcemap: true,
        external: external.flatMap((name) => [name, `${name}/*`]),
        logLevel: 'error',
      });
    },
  );
}

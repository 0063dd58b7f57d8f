import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { exec } from './exec.mjs';
import { root } from './paths.mjs';
import { say, Stop } from './say.mjs';

const stampFile = join(root, 'node_modules', '.key-cellar-lock');

/** Directory of PostgreSQL's programs, the highest version there is, or null. */
export function postgresBin() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return null;
  const versions = readdirSync(base)
    .filter((name) => existsSync(join(base, name, 'bin', 'initdb')))
    .sort((a, b) => Number(b) - Number(a));
  return versions[0] ? join(base, versions[0], 'bin') : null;
}

async function installFromDebian(packages) {
  const isRoot = process.getuid?.() === 0;
  const hasSudo = !isRoot && (await exec('sudo', ['-n', 'true']).catch(() => ({ code: 1 }))).code === 0;
  if (!isRoot && !hasSudo) {
    throw new Stop(
      `${packages.join(' and ')} is missing and only root may install it. Run "sudo apt-get install ${packages.join(' ')}", then this again.`,
    );
  }
  const prefix = isRoot ? [] : ['sudo', '-n'];
  const apt = async (...args) => {
    const [command, ...rest] = [...prefix, 'env', 'DEBIAN_FRONTEND=noninteractive', 'apt-get', ...args];
    return exec(command, rest);
  };
  say(`Installing ${packages.join(' and ')} from Debian …`);
  await apt('update', '-qq');
  const result = await apt('install', '-y', '-qq', '--no-install-recommends', ...packages);
  if (result.code !== 0) {
    throw new Stop(`Debian's ${packages.join(' and ')} could not be installed:\n${result.output.slice(-1500)}`);
  }
}

/** Makes sure that Debian's packages and the npm packages of the lock file are there. */
export async function ensureInstalled({ browser = false } = {}) {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19)) {
    throw new Stop(`Key Cellar needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
  }
  const missing = [];
  if (!postgresBin()) missing.push('postgresql');
  if (browser && !existsSync('/usr/bin/chromium')) missing.push('chromium');
  // Programs that are not ours, by which the tests check what we write.
  if (browser && !existsSync('/usr/bin/xmllint')) missing.push('libxml2-utils');
  if (browser && !existsSync('/usr/bin/qpdf')) missing.push('qpdf');
  if (!existsSync('/usr/bin/tesseract')) missing.push('tesseract-ocr');
  if (missing.length > 0) await installFromDebian(missing);
  if (!postgresBin()) throw new Stop('PostgreSQL was installed but its programs are not in /usr/lib/postgresql.');

  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === lock) return;
  say('Installing packages from the lock file (about a minute) …');
  const result = await exec('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund'], {
    env: { PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD: '1' },
  });
  if (result.code !== 0) throw new Stop(`npm could not install the packages:\n${result.output.slice(-1500)}`);
  mkdirSync(dirname(stampFile), { recursive: true });
  writeFileSync(stampFile, lock);
}

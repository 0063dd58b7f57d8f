// Every part of PrimeNG that the web application uses, itself or through another part, has its look in the preset: one
// that is missing there is drawn without any.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './lib/paths.mjs';

const packages = join(root, 'node_modules');
const looks = new Set(readdirSync(join(packages, '@primeuix', 'themes', 'dist', 'aura')));
const partsIn = (text) => [...text.matchAll(/from 'primeng\/([a-z]+)'/g)].map(([, part]) => part);

const app = join(root, 'web', 'src');
const sources = readdirSync(app, { recursive: true }).filter((file) => file.endsWith('.ts'));
const used = new Set();
const waiting = sources.flatMap((file) => partsIn(readFileSync(join(app, file), 'utf8')));
for (let part = waiting.pop(); part; part = waiting.pop()) {
  if (used.has(part)) continue;
  used.add(part);
  const file = join(packages, 'primeng', 'fesm2022', `primeng-${part}.mjs`);
  if (existsSync(file)) waiting.push(...partsIn(readFileSync(file, 'utf8')));
}

const preset = readFileSync(join(app, 'app', 'kit', 'preset.ts'), 'utf8');
const missing = [...used].filter((part) => looks.has(part) && !preset.includes(`from '@primeuix/themes/aura/${part}'`));
if (missing.length > 0) {
  process.stdout.write(`web/src/app/kit/preset.ts lacks the look of: ${missing.sort().join(', ')}\n`);
  process.exitCode = 1;
}

// npm run layers: draws the server’s areas from their imports into docs/architecture.md.
// With --check: refuses circles and imports that look up, and a drawing that is not what the code says.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { cruise } from 'dependency-cruiser';
import extractDepcruiseConfig from 'dependency-cruiser/config-utl/extract-depcruise-config';
import extractTSConfig from 'dependency-cruiser/config-utl/extract-ts-config';
import { layers } from './lib/layers.mjs';
import { root } from './lib/paths.mjs';
import { run, say, Stop } from './lib/say.mjs';

const page = join(root, 'docs', 'architecture.md');
const [begin, end] = ['<!-- layers: drawn by npm run layers -->', '<!-- end of layers -->'];

async function look() {
  const config = await extractDepcruiseConfig(join(root, '.dependency-cruiser.mjs'));
  const { output } = await cruise(
    ['core/src', 'contract/src', 'server/src', 'web/src/app'],
    { ...config.options, ruleSet: config, validate: true, baseDir: root },
    undefined,
    { tsConfig: extractTSConfig(join(root, 'tools', 'tsconfig.cruise.json')) },
  );
  return output;
}

const areaOf = (path) => /^server\/src\/(\w+)\//.exec(path)?.[1];

/** Which areas use which, as a Mermaid chart: what an area reaches through another anyway is left out. */
function draw(modules) {
  const uses = new Map(layers.flat().map((area) => [area, new Set()]));
  for (const { source, dependencies } of modules) {
    const from = areaOf(source);
    for (const { resolved } of dependencies) {
      const to = areaOf(resolved);
      if (from && to && from !== to) uses.get(from)?.add(to);
    }
  }
  const reaches = (area, seen = new Set()) => {
    for (const next of uses.get(area)) {
      if (!seen.has(next)) {
        seen.add(next);
        reaches(next, seen);
      }
    }
    return seen;
  };
  const lines = [];
  for (const layer of [...layers].reverse()) {
    for (const area of layer) {
      const direct = [...uses.get(area)];
      const shown = direct.filter((to) => !direct.some((other) => other !== to && reaches(other).has(to)));
      for (const to of shown.sort()) lines.push(`  ${area} --> ${to}`);
    }
  }
  return ['```mermaid', 'flowchart TD', ...lines, '```'].join('\n');
}

await run(async () => {
  const { modules, summary } = await look();
  const bad = summary.violations.map(
    (v) => `${v.rule.name}: ${v.from} → ${(v.cycle ?? [{ name: v.to }]).map((c) => c.name ?? c).join(' → ')}`,
  );
  if (bad.length > 0) throw new Stop(`Boundaries are crossed:\n${bad.join('\n')}`);
  const text = readFileSync(page, 'utf8');
  const [before, rest] = text.split(begin);
  const after = rest?.split(end)[1];
  if (after === undefined) throw new Stop(`docs/architecture.md has no place for the layers: ${begin} … ${end}`);
  const drawn = `${before}${begin}\n\n${draw(modules)}\n\n${end}${after}`;
  if (!process.argv.includes('--check')) {
    writeFileSync(page, drawn);
    say(`${modules.length} files, no circle. The layers stand in docs/architecture.md.`);
  } else if (drawn !== text) throw new Stop('The layers in docs/architecture.md are not those of the code. Run: npm run layers');
});

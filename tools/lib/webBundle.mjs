import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, constants, gzipSync } from 'node:zlib';

/**
 * What is loaded together becomes one file: what brings in the language; what draws anything at all, which says its
 * sentences as it is loaded and so comes after that; the frame with the first page. Each names the modules that it begins
 * with; what those import belongs to it too, unless it stands in the one before.
 */
const groups = {
  begin: ['web/src/main.ts', 'words/src/speaker.ts'],
  start: ['web/src/app/start.ts'],
  first: ['web/src/app/shell.ts', 'web/src/app/reports/today.ts'],
};
/** What a page needs to speak a language. */
const languages = {
  en: ['words/src/en/index.ts'],
  de: ['words/src/de/index.ts', 'web/src/words/de.json', '/common/locales/de.js'],
};

const hash = '[hash:8]';

/**
 * Puts the many parts that the build of Angular makes into few files, and compresses everything once for all who ask.
 * Writes `preload.json`: by the name of a group or a language, the files that a page should fetch at once.
 *
 * @param {string} folder what `ng build --stats-json` wrote: `stats.json` and `browser/`
 */
export async function bundleWeb(folder) {
  const browser = join(folder, 'browser');
  const { outputs } = JSON.parse(readFileSync(join(folder, 'stats.json'), 'utf8'));
  const partOf = (source) => {
    const found = Object.keys(outputs).find((path) => outputs[path].entryPoint?.endsWith(source));
    if (!found) throw new Error(`The build has no part for ${source}.`);
    return found;
  };
  const group = new Map(Object.entries(groups).flatMap(([name, sources]) => sources.map((source) => [partOf(source), name])));

  const parts = new Map(
    readdirSync(browser)
      .filter((file) => /^(chunk|main)-.*\.js$/.test(file))
      .map((file) => [file, readFileSync(join(browser, file), 'utf8')]),
  );
  const main = partOf('web/src/main.ts');
  const { rolldown } = await import('rolldown');
  const bundle = await rolldown({
    input: { main },
    // No module of ours does anything by being loaded (`sideEffects` in the manifests); what begins, is begun by `main`.
    treeshake: { moduleSideEffects: (id) => id === main },
    plugins: [
      {
        name: 'parts',
        resolveId: (source) => {
          const file = source.replace(/^\.\//, '');
          return parts.has(file) ? file : { id: source, external: true };
        },
        load: (id) => parts.get(id),
      },
    ],
  });
  const { output } = await bundle.generate({
    minify: { mangle: false, compress: false },
    hashCharacters: 'base36',
    entryFileNames: `[name]-${hash}.js`,
    chunkFileNames: `[name]-${hash}.js`,
    codeSplitting: { groups: Object.keys(groups).map((name, i) => ({ name, priority: 9 - i, test: (id) => group.get(id) === name })) },
  });
  await bundle.close();

  for (const file of parts.keys()) rmSync(join(browser, file));
  for (const { fileName, code } of output) writeFileSync(join(browser, fileName), code);

  const holding = (part) => output.find(({ moduleIds }) => moduleIds?.includes(part)).fileName;
  const filesOf = (sources) => [...new Set(sources.map((source) => holding(partOf(source))))];
  const preload = {
    ...Object.fromEntries(Object.entries({ ...groups, ...languages }).map(([name, sources]) => [name, filesOf(sources)])),
    fonts: readdirSync(join(browser, 'media'))
      .filter((file) => /-latin-wght-normal-/.test(file))
      .map((file) => `media/${file}`),
  };
  writeFileSync(join(folder, 'preload.json'), JSON.stringify(preload));
  const page = join(browser, 'index.html');
  writeFileSync(
    page,
    readFileSync(page, 'utf8')
      .replaceAll(/<link rel="modulepreload"[^>]*>/g, '')
      .replace(main, holding(main)),
  );
  compress(browser);
}

/** Twins of each text, compressed as far as it goes, beside it; browsers read Brotli over lines that they trust only. */
function compress(browser) {
  for (const entry of readdirSync(browser, { recursive: true })) {
    if (!/\.(js|css|svg|json)$/.test(entry)) continue;
    const path = join(browser, entry);
    const bytes = readFileSync(path);
    const params = { [constants.BROTLI_PARAM_QUALITY]: 11, [constants.BROTLI_PARAM_SIZE_HINT]: bytes.length };
    writeFileSync(`${path}.br`, brotliCompressSync(bytes, { params }));
    writeFileSync(`${path}.gz`, gzipSync(bytes, { level: 9 }));
  }
}

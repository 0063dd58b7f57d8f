// Boundaries between files and areas. Run by `npm run check` through tools/layers.mjs.
import { forbiddenFor, layers } from './tools/lib/layers.mjs';

const inArea = (names) => `^server/src/(${names.join('|')})/`;

export default {
  forbidden: [
    {
      name: 'no-circle',
      comment: 'Files that need each other are one file, or need a third.',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
    ...layers.flat().map((area) => ({
      name: `${area}-looks-down-only`,
      comment: 'What a lower area must set off in a higher one is told through the events of the kernel.',
      severity: 'error',
      from: { path: inArea([area]) },
      to: { path: inArea(forbiddenFor(area)) },
    })),
    {
      name: 'one-way-between-packages',
      comment: 'web → contract → core ← contract ← server',
      severity: 'error',
      from: { path: '^(core|contract)/src' },
      to: { path: '^(server|web|demo)/' },
    },
    {
      name: 'web-does-not-know-the-server',
      severity: 'error',
      from: { path: '^web/src' },
      to: { path: '^(server|demo)/' },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tools/tsconfig.cruise.json' },
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(\\.spec\\.ts$|/testing/|/dist/|node_modules)' },
  },
};

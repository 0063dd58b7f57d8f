// npm run patterns: writes docs/retention-patterns.md from the table beside it. With --check: refuses a page that is not what the table says.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { en } from '@key-cellar/words/en';
import { speaker } from '@key-cellar/words/speaker';
import Papa from 'papaparse';
import {
  describeBasis,
  describeCutoff,
  describeStep,
  describeStepTime,
  describeSuspension,
  describeTrigger,
  parseBasis,
  parseCutoff,
  parseSteps,
  parseSuspension,
  parseTrigger,
  type Read,
} from '../core/src/schedule/index.js';

const english = speaker('en', en);
const docs = join(import.meta.dirname, '..', 'docs');
const page = join(docs, 'retention-patterns.md');
const { data } = Papa.parse<Record<string, string>>(readFileSync(join(docs, 'retention-patterns.csv'), 'utf8'), {
  header: true,
  skipEmptyLines: true,
});

const groups: Readonly<Record<string, string>> = {
  ACC: 'Accounts and tax',
  CON: 'Contracts and claims',
  PEO: 'People at work',
  HEA: 'Health, children, schools',
  PUB: 'Public bodies',
  SAF: 'Safety, environment, security',
};

function read<T>(found: Read<T>): T {
  if (!found.ok) throw new Error(english.say(found.sentence));
  return found.value;
}

/** A row as the program says it. */
function words(row: Record<string, string>): string {
  const text = (column: string): string => row[column] ?? '';
  const steps = read(parseSteps(text('steps')));
  const basis = read(parseBasis(text('basis')));
  return [
    [describeTrigger(read(parseTrigger(text('clock')))), describeCutoff(read(parseCutoff(text('cutoff'))))],
    [describeSuspension(read(parseSuspension(text('stopped by'))))],
    ...steps.map((s) => (s.kind === 'keepPermanently' ? [] : [describeStep(s.kind), describeStepTime(s)])),
    [basis ? describeBasis(basis) : null],
  ]
    .map((parts) => parts.flatMap((part) => (part ? english.say(part) : [])).join(' '))
    .filter(Boolean)
    .join('; ');
}

const lines = Object.entries(groups).flatMap(([code, title]) => [
  `## ${title}`,
  '',
  '| rule | what | what it rests on | how it counts |',
  '|---|---|---|---|',
  ...data
    .filter((row) => row['code']!.startsWith(`L-${code}-`))
    .map((row) => `| \`${row['code']!}\` | ${row['title']!} | ${row['authority']!} | ${words(row)} |`),
  '',
]);
const text = `# Patterns of retention

${data.length} ways in which laws say how long something is kept, each as a rule. They stand for kinds of law and for no law: look the periods up where you
are. \`retention-patterns.csv\` beside this page is a table as **Schedule → Import** takes it; loading it is one act, also into an empty
repository: the types of events and the named years that it speaks of come into their lists with it. \`npm run patterns\` writes this page.

${lines.join('\n')}`;

if (!process.argv.includes('--check')) writeFileSync(page, text);
else if (readFileSync(page, 'utf8') !== text) {
  process.stderr.write('docs/retention-patterns.md is not what the table beside it says: npm run patterns\n');
  process.exitCode = 1;
}

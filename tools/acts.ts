// npm run acts: writes docs/acts.md from the table of acts. With --check: refuses a page that is not what the table says.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { profilesWith } from '../core/src/access/index.js';
import { acts, bound, ofTheProgram, type NamedAct } from '../server/src/http/table.js';
import { carriersOf } from '../server/src/http/whoCan.js';
import { namesOf, targetsOf, type AnyAct } from '../server/src/kernel/index.js';

const page = join(import.meta.dirname, '..', 'docs', 'acts.md');
const all = acts();
const profiles = profilesWith([]);
/** As documents name a profile: “Reader”. */
const named = (code: string): string => code[0]!.toUpperCase() + code.slice(1);

const inner = (act: AnyAct): AnyAct => ('each' in act.definition ? act.definition.each : act);

function takes(act: AnyAct): string {
  const { needs, because } = targetsOf(act);
  if (because !== null) return `no right: ${because}`;
  return needs.map((n) => `${n.words === 'none' ? 'to know of it' : `**${n.words}**`} on the ${n.on}${n.many ? ', each' : ''}`).join('; ');
}

function gate(act: AnyAct): string {
  const { definition } = inner(act);
  if ('each' in definition) return '';
  return typeof definition.gate === 'function' ? 'shared, or exclusive by what is asked' : (definition.gate ?? 'shared');
}

function row({ name, act }: NamedAct): string {
  const { definition } = inner(act);
  const told = namesOf(act)
    .map((n) => `“${n}”`)
    .join(', ');
  const repeat = 'each' in definition ? '' : definition.repeat;
  const job = 'each' in definition || !definition.job ? '' : `${definition.job.kind} beyond ${definition.job.beyond}`;
  const who = carriersOf(act, profiles).map((profile) => named(profile.code));
  const by = targetsOf(act).because !== null || who.length === profiles.size ? 'everybody' : who.join(', ');
  return `| ${name} | ${takes(act)} | ${by} | ${gate(act)} | ${repeat} | ${job} | ${told} |`;
}

const reading = bound().flatMap(({ name, answer }) =>
  typeof answer === 'function' && answer.enters ? [`| ${name} | ${answer.enters.map((n) => `“${n}”`).join(', ')} |`] : [],
);

const text = `# Acts

Written by \`npm run acts\` from the table that the server runs by (\`http/table.ts\` and the \`…Acts.ts\` of each area); the checks
refuse a page that says anything else. *Takes*: the right, and on what it is asked. *By*: the profiles that carry it; where and
on how much a person has their profile, grants say. *Gate*: whether records may be written beside it (see architecture).
*Again*: what the same request does a second time.

| act | takes | by | gate | again | job | in the ledger |
|---|---|---|---|---|---|---|
${all.map(row).join('\n')}

## Reading that is an act

| reading | in the ledger |
|---|---|
${reading.join('\n')}

## What the program enters by itself

The sweep, and the jobs behind acts: ${[...ofTheProgram]
  .sort()
  .map((n) => `“${n}”`)
  .join(', ')}.
`;

if (!process.argv.includes('--check')) writeFileSync(page, text);
else if (readFileSync(page, 'utf8') !== text) {
  process.stderr.write('\ndocs/acts.md is not what the table of acts says. Look at what changed, then run: npm run acts\n');
  process.exitCode = 1;
}

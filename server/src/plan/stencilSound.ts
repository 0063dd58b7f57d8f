import { foldersOf, stencilProblems, type StencilDefinition } from '@key-cellar/core/plan';
import { factProblems, filledFacts } from '@key-cellar/core/records';
import { message, sentences, type Message } from '@key-cellar/words';
import { loadProfiles } from '../access/index.js';
import { recordTypes } from '../facts/index.js';
import { Problem, type Db } from '../kernel/index.js';
import { factsOfAllTypes } from './changes.js';
import * as stencils from './stencilStore.js';

/** Everything about a definition that can be wrong; throws with the folder's key as the field. */
export async function requireSound(db: Db, definition: StencilDefinition): Promise<void> {
  const all = foldersOf(definition.root).map((f) => f.folder);
  const problems = [...stencilProblems(definition)];
  const known = new Map((await factsOfAllTypes(db)).map((f) => [f.code, f]));
  const types = new Set((await recordTypes(db)).map((t) => t.code));
  const profiles = await loadProfiles(db);
  const [people, numberings, jurisdictions, rules] = await Promise.all([
    stencils.principalsExist(
      db,
      all.flatMap((f) => f.grants.flatMap((g) => g.principalId ?? [])),
    ),
    stencils.numberingsExist(
      db,
      all.flatMap((f) => f.numbering ?? []),
    ),
    stencils.jurisdictionsExist(
      db,
      all.flatMap((f) => f.jurisdictions),
    ),
    stencils.rulesExist(
      db,
      all.flatMap((f) => f.rules),
    ),
  ]);
  for (const code of definition.asks) {
    if (!known.has(code)) problems.push({ key: definition.root.key, sentence: message('plan.noRecordTypeFact', { code }) });
  }
  for (const f of all) {
    const say = (problem: Message): void =>
      void problems.push({ key: f.key, sentence: message('plan.sound.ofFolder', { folder: f.title, problem }) });
    if (f.grants.some((g) => g.principalId !== null && !people.has(g.principalId))) say(message('plan.sound.nobody'));
    if (f.grants.some((g) => !profiles.has(g.profile))) say(message('plan.sound.noProfile'));
    if (f.numbering !== null && !numberings.has(f.numbering)) say(message('plan.sound.noNumbering'));
    for (const name of f.jurisdictions) if (!jurisdictions.has(name)) say(message('tables.noJurisdiction', { name }));
    if (f.rules.some((r) => !rules.has(r))) say(message('plan.sound.noRule'));
    if (f.types?.some((t) => !types.has(t))) say(message('plan.sound.noType'));
    if (f.readyTitles.some((t) => t.recordType !== null && !types.has(t.recordType))) say(message('plan.sound.titleNoType'));
    for (const problem of factProblems([...known.values()], filledFacts(f.facts))) {
      say(known.has(problem.fact) ? problem.sentence : message('plan.sound.noFact', { fact: problem.fact }));
    }
  }
  if (problems.length > 0) {
    throw new Problem(
      422,
      'wrong-stencil',
      sentences(problems.map((p) => p.sentence)),
      problems.map((p) => ({ pointer: `/folders/${p.key}`, sentence: p.sentence })),
    );
  }
}

import { profiles } from '@key-cellar/core/access';
import { foldersOf, stencilProblems, type StencilDefinition } from '@key-cellar/core/plan';
import { factProblems, filledFacts } from '@key-cellar/core/records';
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
  const [people, rules] = await Promise.all([
    stencils.principalsExist(
      db,
      all.flatMap((f) => f.grants.map((g) => g.principalId)),
    ),
    stencils.rulesExist(
      db,
      all.flatMap((f) => f.rules),
    ),
  ]);
  for (const code of definition.asks) {
    if (!known.has(code))
      problems.push({ key: definition.root.key, sentence: `No record type has a fact “${code}”, so none can be asked.` });
  }
  for (const f of all) {
    const say = (sentence: string): void => void problems.push({ key: f.key, sentence: `${f.title}: ${sentence}` });
    if (f.grants.some((g) => !people.has(g.principalId))) say('a grant is for somebody who is not here.');
    if (f.grants.some((g) => !profiles.some((p) => p.code === g.profile))) say('a grant has a profile that does not exist.');
    if (f.rules.some((r) => !rules.has(r))) say('a rule does not exist.');
    if (f.types?.some((t) => !types.has(t))) say('a record type does not exist.');
    if (f.readyTitles.some((t) => t.recordType !== null && !types.has(t.recordType)))
      say('a ready title is for a record type that does not exist.');
    for (const problem of factProblems([...known.values()], filledFacts(f.facts))) {
      say(known.has(problem.fact) ? problem.sentence : `no record type has a fact “${problem.fact}”.`);
    }
  }
  if (problems.length > 0) {
    throw new Problem(
      422,
      'wrong-stencil',
      problems.map((p) => p.sentence).join(' '),
      problems.map((p) => ({ pointer: `/folders/${p.key}`, sentence: p.sentence })),
    );
  }
}

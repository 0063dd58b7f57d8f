import { message, type Code, type Message } from '@key-cellar/words';
import { en } from '@key-cellar/words/en';
import type { Told, WhoCan } from '@key-cellar/contract';
import { hasRight, profileWords, type Profile, type Profiles, type Right } from '@key-cellar/core/access';
import { targetsOf, type AnyAct, type Need } from '../kernel/index.js';

/** The words for a name of the table of acts. Throws where a row of it has none. */
function wordsFor(kind: string, name: string, values: Record<string, Message | string> = {}): Message {
  const code = `can.${kind}.${name}`;
  if (!Object.hasOwn(en, code)) throw new Error(`The catalogue does not say “${code}”`);
  return message(`can.${kind}.${name}` as Code, values);
}

/** One thing that an act takes: “hold on each record”; null where knowing of the thing is enough. */
function needWords({ words, may, on, many }: Need): Message | null {
  if (words === 'none') return on.startsWith('own ') ? wordsFor('own', on) : null;
  const where = wordsFor('on', on, { many: String(many) });
  return may.length === 1 && words === may[0]
    ? message('can.rightOn', { right: message(`access.right.${words as Right}`), on: where })
    : wordsFor('need', words, { on: where });
}

/** What an act takes: “hold on the hold; hold on each record”. */
function takes(act: AnyAct): Message {
  const { needs, because } = targetsOf(act);
  if (because !== null) return wordsFor('free', because);
  const each = needs.map(needWords).filter((words) => words !== null);
  const different = [...new Map(each.map((words) => [JSON.stringify(words), words])).values()];
  return different.length === 0 ? message('can.knowing') : different.reduce((first, second) => message('can.both', { first, second }));
}

/** The profiles that carry all that an act takes. */
export function carriersOf(act: AnyAct, profiles: Profiles): readonly Profile[] {
  const { needs } = targetsOf(act);
  return [...profiles.values()].filter(({ rights }) =>
    needs.every(({ may }) => may.length === 0 || may.some((right) => hasRight(rights, right))),
  );
}

/** Who can do what, read off the table of acts: each act with the rights it takes, on what, and the profiles that carry them. */
export function whoCan(acts: readonly { readonly name: string; readonly act: AnyAct }[], profiles: Profiles): Told<WhoCan>[] {
  return acts.map(({ name, act }) => ({
    all: carriersOf(act, profiles).length === profiles.size,
    name,
    does: wordsFor('does', name),
    takes: takes(act),
    profiles: carriersOf(act, profiles).map(profileWords),
  }));
}

import type { WhoCan } from '@key-cellar/contract';
import { hasRight, profiles, type Right } from '@key-cellar/core/access';
import { targetsOf, type AnyAct, type Need } from '../kernel/index.js';

/** A right as a reader says it: “copy out”. */
const spoken = (right: Right): string => right.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`);

const wordsOf = ({ words, may: rights }: Need): string =>
  words === 'none' ? '' : rights.length === 1 && words === rights[0] ? spoken(words) : words;

/** Who can do what, read off the table of acts: each act with the rights it takes, on what, and the profiles that carry them. */
export function whoCan(acts: readonly { readonly name: string; readonly act: AnyAct }[]): WhoCan[] {
  return acts.map(({ name, act }) => {
    const { needs, because } = targetsOf(act);
    const carries = (rights: (typeof profiles)[number]): boolean =>
      needs.every((n) => n.may.length === 0 || n.may.some((right) => hasRight(rights.rights, right)));
    return {
      name,
      summary: act.endpoint.summary,
      needs: needs.map((n) => ({ right: wordsOf(n), on: n.on, many: n.many })),
      because,
      profiles: profiles.filter(carries).map((p) => p.title),
    };
  });
}

import { hasRight } from '@key-cellar/core/access';
import { notAllowed, type PersonAccess } from '../kernel/index.js';

/** Sets on which somebody may look into the access of others: who gives it there, or audits. */
const lookedInto = (known: PersonAccess): number[] =>
  [...new Set([...known.sets('grant'), ...known.sets('audit')])].filter((set) => hasRight(known.on(set).all, 'discover'));

/** The same; throws 403 where there is none. */
export function requireAnywhere(known: PersonAccess): number[] {
  const sets = lookedInto(known);
  if (sets.length === 0) throw notAllowed('grant');
  return sets;
}

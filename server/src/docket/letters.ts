import { createHmac, timingSafeEqual } from 'node:crypto';
import { hasRight, may } from '@key-cellar/core/access';
import { uuidv7 } from 'uuidv7';
import { message } from '@key-cellar/words';
import { type Actor, withUnitOfWork, inEnglish } from '../kernel/index.js';
import { type Letter, send } from '../identity/index.js';
import type { Services } from './services.js';
import * as store from './stepsStore.js';

const perTransaction = 2000;
const namedInLetter = 8;

const idLength = 36;

/** The link of a letter: names it, and is signed so that it cannot be made up. Without a dot: it is no file's name. */
export function answerToken(key: string, messageId: string): string {
  return `${messageId}${createHmac('sha256', key).update(messageId).digest('base64url')}`;
}

/** The letter that a token names; null when its signature is not ours. */
export function letterOf(key: string, token: string): string | null {
  const messageId = token.slice(0, idLength);
  const right = Buffer.from(answerToken(key, messageId));
  const asked = Buffer.from(token);
  return /^[0-9a-f-]{36}$/.test(messageId) && asked.length === right.length && timingSafeEqual(asked, right) ? messageId : null;
}

type Why = 'owner' | 'group' | 'keepers' | 'review';

function letter(toId: string, why: Why, tasks: readonly store.UnsentRow[], token: (messageId: string) => string): Letter & { id: string } {
  const id = uuidv7();
  const n = tasks.length;
  const again = tasks.some((t) => t.times > 1);
  const named = tasks.slice(0, namedInLetter).map((t) => `${t.number} ${t.title}`);
  const rules = [...new Set(tasks.map((t) => t.rule_code))].sort();
  const about = { n, record: named[0]! };
  return {
    id,
    toId,
    kind: why === 'review' ? 'review' : 'question',
    subject: message(why === 'review' ? 'docket.letter.toReview' : again ? 'docket.letter.askedAgain' : 'docket.letter.asked', about),
    body: message('docket.letter.askedBody', {
      why: message(`docket.letter.because.${why}`),
      n,
      kind: why,
      rules: { list: rules },
      rulesCount: rules.length,
      records: named.join('; '),
      more: n - named.length,
    }),
    link: `/answers/${token(id)}`,
  };
}

/**
 * Sends one letter a person for all that they are asked. Owners first; when an owner is not there any more, those of the
 * smallest group that the owner was in; when nobody there may see the record, its keepers. Reviews go to the keepers.
 */
export async function sendTaskLetters(services: Services, actor: Actor): Promise<void> {
  const key = await store.answerKey(services.pool);
  for (let more = true; more;) {
    more = await withUnitOfWork(services.pool, actor, async (uow) => {
      const tasks = await store.lockUnsent(uow, perTransaction);
      if (tasks.length === 0) return false;
      const everyone = new Map((await services.access.everyone(actor.today)).map((p) => [p.id, p.access]));
      const maySee = (personId: string, t: store.UnsentRow): boolean => {
        const access = everyone.get(personId);
        return access !== undefined && may(access.on(t.access_set_id), 'discover', t.deposited_by === personId);
      };
      const owners = [...new Set(tasks.flatMap((t) => (t.owner_id === null || maySee(t.owner_id, t) ? [] : [t.owner_id])))];
      const groups = await store.groupsOf(uow, owners);
      const keepers = (t: store.UnsentRow): string[] =>
        [...everyone].flatMap(([id, access]) => (hasRight(access.on(t.access_set_id).all, 'dispose') ? [id] : []));
      const toAsk = (t: store.UnsentRow): { why: Why; people: string[] } => {
        if (t.kind === 'review') return { why: 'review', people: keepers(t) };
        if (t.owner_id !== null && maySee(t.owner_id, t)) return { why: 'owner', people: [t.owner_id] };
        for (const g of groups) {
          const people = g.person_id === t.owner_id ? g.members.filter((m) => maySee(m, t)) : [];
          if (people.length > 0) return { why: 'group', people };
        }
        return { why: 'keepers', people: keepers(t) };
      };
      const bundles = new Map<string, { toId: string; why: Why; tasks: store.UnsentRow[] }>();
      for (const t of tasks) {
        const { why, people } = toAsk(t);
        for (const toId of people) {
          const bundle = bundles.get(`${toId} ${why}`) ?? { toId, why, tasks: [] };
          bundle.tasks.push(t);
          bundles.set(`${toId} ${why}`, bundle);
        }
      }
      const letters = [...bundles.values()].map((b) => ({
        ...letter(b.toId, b.why, b.tasks, (id) => answerToken(key, id)),
        tasks: b.tasks,
      }));
      await send(uow, letters);
      await store.noteSent(
        uow,
        tasks.map((t) => t.id),
        letters.flatMap((l) => l.tasks.map((t) => ({ messageId: l.id, taskId: t.id }))),
      );
      uow.enterAll(
        letters.map((l) => ({
          act: 'sent a letter',
          subject: { kind: 'message', id: l.id, name: inEnglish(l.subject) },
          after: { to: l.toId, about: l.tasks.map((t) => t.number) },
        })),
      );
      return tasks.length === perTransaction;
    });
  }
}

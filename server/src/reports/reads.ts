import type { identity, records, reports } from '@key-cellar/contract';
import { mailsOfMessages } from '../mail/index.js';
import { listRights } from '@key-cellar/core/access';
import { openOfLetters, type Services } from '../docket/index.js';
import { messagesFor, unreadCount } from '../identity/index.js';
import type { ReadsOf } from '../kernel/index.js';
import { ledgerSize } from '../ledger/index.js';
import { ask } from './ask.js';
import { dossier } from './dossier.js';
import { outside } from './outside.js';
import { needsOf, todayPage } from './today.js';

export const reportReads: ReadsOf<typeof reports, Services> = {
  outside: async ({ services, access }) => ({ lines: await outside(services, await access()) }),
  today: ({ services, person }) => todayPage(services, person),
  needs: ({ services, person }) => needsOf(services, person),
  ask: async ({ services, person, query }) => ({ suggestions: await ask(services, person, query.text) }),
};

export const dossierReads: Pick<ReadsOf<typeof records, Services>, 'dossier'> = {
  dossier: ({ services, person, params }) => dossier(services, person, params.id),
};

/** Who is signed in, and their letters with the questions in them that are still open. */
export const personReads: Pick<ReadsOf<typeof identity, Services>, 'me' | 'messages'> = {
  me: async ({ services: { pool }, person, access }) => {
    const [{ anywhere }, unread, size] = await Promise.all([access(), unreadCount(pool, person.id), ledgerSize(pool)]);
    const { id, name, login, repository, timeZone, today, demo, language } = person;
    const who = { id, name, login, rights: listRights(anywhere), repository, timeZone, today, demo, unread, language };
    return { ...who, ledgerSize: size, secondFactorNeeded: person.factorMissing };
  },
  messages: async ({ services: { pool }, person }) => {
    const [found, open, mails] = await Promise.all([
      messagesFor(pool, person.id),
      openOfLetters(pool, person.id),
      mailsOfMessages(pool, person.id),
    ]);
    const mailed = new Map(mails.map((m) => [m.message_id, { address: m.address, state: m.state, at: m.ended_at?.toISOString() ?? null }]));
    const asked = new Map(open.map(({ message_id, kind, ids }) => [message_id, { kind, ids }]));
    const messages = found.map((m) => ({
      id: m.id,
      kind: m.kind,
      subject: m.subject,
      body: m.body,
      link: m.link,
      sentAt: m.sent_at.toISOString(),
      readAt: m.read_at?.toISOString() ?? null,
      mail: mailed.get(m.id) ?? null,
      ask: asked.get(m.id) ?? null,
    }));
    return { messages };
  },
};

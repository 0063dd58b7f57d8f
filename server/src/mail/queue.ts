import { message, type Message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import { speakerOf, type Db } from '../kernel/index.js';
import { compose } from './compose.js';
import * as store from './store.js';

/** A message that somebody gets, as it was written for them. */
export interface Written {
  readonly id: string;
  readonly toId: string;
  readonly kind: string;
  readonly subject: string;
  readonly body: string;
  /** Within the application: `/holds/…`. */
  readonly link: string | null;
}

/** Lets messages leave by mail as their receivers chose, in the transaction that wrote them; nothing where no mail leaves. */
export async function mailMessages(db: Db, messages: readonly Written[]): Promise<void> {
  const { on, publicUrl } = await store.mailSetting(db);
  if (!on || messages.length === 0) return;
  const people = new Map((await store.receivers(db, [...new Set(messages.map((m) => m.toId))])).map((p) => [p.id, p]));
  const repository = await store.repositoryName(db);
  const now: store.NewMail[] = [];
  const later: { messageId: string; principalId: string }[] = [];
  for (const m of messages) {
    const person = people.get(m.toId);
    if (!person || person.email === null) continue;
    const how = person.choices[m.kind] ?? 'now';
    if (how === 'never') continue;
    if (how === 'daily') {
      later.push({ messageId: m.id, principalId: m.toId });
      continue;
    }
    const speaker = speakerOf(person.language);
    const part = { heading: null, text: m.body, link: m.link === null ? null : `${publicUrl}${m.link}` };
    const { text, html } = compose(speaker, repository, { name: person.name, parts: [part], chosen: true });
    now.push({ id: uuidv7(), toId: m.toId, address: person.email, kind: m.kind, messageId: m.id, subject: m.subject, body: text, html });
  }
  if (now.length > 0) await store.addMails(db, now);
  if (later.length > 0) await store.addToDigest(db, later);
}

/**
 * A mail of its own, which nobody can choose not to get: an invitation, a new password. Gives false where none can leave, since no mail does
 * or the person has no address.
 */
export async function mailTo(
  db: Db,
  toId: string,
  { kind, subject, body, link }: { readonly kind: string; readonly subject: Message; readonly body: Message; readonly link: string | null },
): Promise<boolean> {
  const { on, publicUrl } = await store.mailSetting(db);
  const [person] = await store.receivers(db, [toId]);
  if (!on || !person || person.email === null) return false;
  const speaker = speakerOf(person.language);
  const part = { heading: null, text: speaker.say(body), link: link === null ? null : `${publicUrl}${link}` };
  const { text, html } = compose(speaker, await store.repositoryName(db), { name: person.name, parts: [part], chosen: false });
  await store.addMails(db, [
    { id: uuidv7(), toId, address: person.email, kind, messageId: null, subject: speaker.say(subject), body: text, html },
  ]);
  return true;
}

/** One mail a person with all that waits for the mail of the day; gives how many mails. */
export async function mailDigests(db: Db): Promise<number> {
  const { on, publicUrl } = await store.mailSetting(db);
  const due = await store.takeDigests(db);
  if (!on || due.length === 0) return 0;
  const repository = await store.repositoryName(db);
  const mails: store.NewMail[] = [];
  for (const person of await store.receivers(db, [...new Set(due.map((d) => d.principal_id))])) {
    if (person.email === null) continue;
    const speaker = speakerOf(person.language);
    const own = due.filter((d) => d.principal_id === person.id);
    const parts = own.map((d) => ({ heading: d.subject, text: d.body, link: d.link === null ? null : `${publicUrl}${d.link}` }));
    const { text, html } = compose(speaker, repository, { name: person.name, parts, chosen: true });
    const subject = speaker.say(message('mail.digest', { n: own.length, repository }));
    mails.push({ id: uuidv7(), toId: person.id, address: person.email, kind: 'digest', messageId: null, subject, body: text, html });
  }
  if (mails.length > 0) await store.addMails(db, mails);
  return mails.length;
}

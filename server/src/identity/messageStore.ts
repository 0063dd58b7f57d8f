import { uuidv7 } from 'uuidv7';
import type { Message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import { mailMessages } from '../mail/index.js';
import { rows, run, speakerOf, type Db, type UnitOfWork } from '../kernel/index.js';

export interface Letter {
  /** Given where something else refers to the letter. */
  readonly id?: string;
  readonly toId: string;
  readonly kind: string;
  readonly subject: Message;
  readonly body: Message;
  readonly link?: string;
}

/** Sends messages, in the transaction of what they report, each in the language of whoever gets it; and by mail, as that person chose. */
export async function send(uow: UnitOfWork, letters: readonly Letter[]): Promise<void> {
  if (letters.length === 0) return;
  const languages = new Map(
    (
      await rows<{ id: string; language: string | null }>(
        uow,
        'message.languages',
        'select id, language from principal where id = any ($1)',
        [[...new Set(letters.map((l) => l.toId))]],
      )
    ).map((p) => [p.id, speakerOf(p.language)]),
  );
  const written = (l: Letter, what: Message): string => (languages.get(l.toId) ?? speakerOf(null)).say(what);
  const given = letters.map((l) => ({
    id: l.id ?? uuidv7(),
    toId: l.toId,
    kind: l.kind,
    subject: written(l, l.subject),
    body: written(l, l.body),
    link: l.link ?? null,
  }));
  await run(
    uow,
    'message.send',
    `insert into message (id, to_id, kind, subject, body, link, sent_at)
     select *, $7::timestamptz from unnest($1::uuid[], $2::uuid[], $3::text[], $4::text[], $5::text[], $6::text[])`,
    [
      given.map((m) => m.id),
      given.map((m) => m.toId),
      given.map((m) => m.kind),
      given.map((m) => m.subject),
      given.map((m) => m.body),
      given.map((m) => m.link),
      uow.at,
    ],
  );
  await mailMessages(uow, given);
}

/** Who speaks to a person, in the language that they chose; to nobody in particular in English. */
export async function speakerOfPerson(db: Db, id: string | null): Promise<Speaker> {
  const [person] =
    id === null
      ? []
      : await rows<{ language: string | null }>(db, 'message.language', 'select language from principal where id = $1', [id]);
  return speakerOf(person?.language ?? null);
}

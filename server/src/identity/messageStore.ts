import { uuidv7 } from 'uuidv7';
import { run, type UnitOfWork } from '../kernel/index.js';

export interface Letter {
  /** Given where something else refers to the letter. */
  readonly id?: string;
  readonly toId: string;
  readonly kind: string;
  readonly subject: string;
  readonly body: string;
  readonly link?: string;
}

/** Sends letters through the mail stand-in, in the transaction of what they report. */
export async function send(uow: UnitOfWork, letters: readonly Letter[]): Promise<void> {
  if (letters.length === 0) return;
  await run(
    uow,
    'message.send',
    `insert into message (id, to_id, kind, subject, body, link, sent_at)
     select *, $7::timestamptz from unnest($1::uuid[], $2::uuid[], $3::text[], $4::text[], $5::text[], $6::text[])`,
    [
      letters.map((l) => l.id ?? uuidv7()),
      letters.map((l) => l.toId),
      letters.map((l) => l.kind),
      letters.map((l) => l.subject),
      letters.map((l) => l.body),
      letters.map((l) => l.link ?? null),
      uow.at,
    ],
  );
}

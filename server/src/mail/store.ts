import { type Db, row, rows, run } from '../kernel/index.js';

/** Whether mail leaves, and under which address the application is reached. */
export interface MailSetting {
  readonly on: boolean;
  readonly publicUrl: string;
}

export async function mailSetting(db: Db): Promise<MailSetting> {
  const found = await row<{ value: MailSetting }>(db, 'mail.setting', `select value from setting where name = 'mail'`);
  return found?.value ?? { on: false, publicUrl: '' };
}

/** In whose name mails are. */
export async function repositoryName(db: Db): Promise<string> {
  const found = await row<{ name: string }>(db, 'mail.repository', `select value->>'name' as name from setting where name = 'repository'`);
  return found?.name ?? 'Key Cellar';
}

export async function writeMailSetting(db: Db, setting: MailSetting): Promise<void> {
  await run(
    db,
    'mail.writeSetting',
    `insert into setting (name, value) values ('mail', $1) on conflict (name) do update set value = excluded.value where setting.value <> excluded.value`,
    [JSON.stringify(setting)],
  );
}

export interface NewMail {
  readonly id: string;
  readonly toId: string;
  readonly address: string;
  readonly kind: string;
  readonly messageId: string | null;
  readonly subject: string;
  readonly body: string;
  readonly html: string;
}

export async function addMails(db: Db, mails: readonly NewMail[]): Promise<void> {
  await run(
    db,
    'mail.add',
    `insert into mail (id, to_id, address, kind, message_id, subject, body, html)
     select * from unnest($1::uuid[], $2::uuid[], $3::text[], $4::text[], $5::uuid[], $6::text[], $7::text[], $8::text[])`,
    [
      mails.map((m) => m.id),
      mails.map((m) => m.toId),
      mails.map((m) => m.address),
      mails.map((m) => m.kind),
      mails.map((m) => m.messageId),
      mails.map((m) => m.subject),
      mails.map((m) => m.body),
      mails.map((m) => m.html),
    ],
  );
}

export interface ClaimedMail extends Record<string, unknown> {
  id: string;
  to_id: string;
  to_name: string;
  address: string;
  kind: string;
  subject: string;
  body: string;
  html: string;
  tries: number;
  queued_at: Date;
}

/** Takes a mail that waits: whoever has it sends it. Those of people who were let go meanwhile stay. */
export function claimMail(db: Db) {
  return row<ClaimedMail>(
    db,
    'mail.claim',
    `with taken as (
       update mail set state = 'sending', claimed_at = now(), tries = tries + 1
       where id in (
         select m.id from mail m join principal p on p.id = m.to_id and p.active
         where m.state = 'waiting' and m.next_at <= now() order by m.next_at limit 1 for update of m skip locked)
       returning *)
     select t.id, t.to_id, p.name as to_name, t.address, t.kind, t.subject, t.body, t.html, t.tries, t.queued_at
     from taken t join principal p on p.id = t.to_id`,
    [],
  );
}

/** It has left, or will not: its texts go, except where somebody may still send it again. */
export async function endMail(db: Db, id: string, state: 'sent' | 'refused' | 'uncertain', problem: string | null): Promise<void> {
  await run(
    db,
    'mail.end',
    `update mail set state = $2, problem = $3, ended_at = now(),
       body = case when $2 = 'sent' then null else body end, html = case when $2 = 'sent' then null else html end
     where id = $1`,
    [id, state, problem],
  );
}

export async function putOffMail(db: Db, id: string, minutes: number, problem: string): Promise<void> {
  await run(
    db,
    'mail.putOff',
    `update mail set state = 'waiting', problem = $3, next_at = now() + make_interval(mins => $2) where id = $1`,
    [id, minutes, problem],
  );
}

/** Those that somebody took and nobody ended: they may have arrived. Gives how many there were. */
export function giveUpClaimed(db: Db, minutes: number): Promise<number> {
  return run(
    db,
    'mail.uncertain',
    `update mail set state = 'uncertain', ended_at = now() where state = 'sending' and claimed_at < now() - make_interval(mins => $1)`,
    [minutes],
  );
}

export interface ReturnedMail extends Record<string, unknown> {
  to_id: string;
  to_name: string;
  address: string;
  subject: string;
}

/** A mail that had left came back; undefined where it had not, or was known to have come back. */
export function takeBack(db: Db, id: string, problem: string) {
  return row<ReturnedMail>(
    db,
    'mail.takeBack',
    `with back as (
       update mail set state = 'returned', problem = $2, ended_at = now(), body = null, html = null where id = $1 and state in ('sent', 'uncertain')
       returning to_id, address, subject)
     select b.to_id, p.name as to_name, b.address, b.subject from back b join principal p on p.id = b.to_id`,
    [id, problem],
  );
}

/** A mail that had left has not arrived yet, and may. */
export async function noteDelay(db: Db, id: string, problem: string): Promise<void> {
  await run(db, 'mail.delayed', `update mail set problem = $2 where id = $1 and state = 'sent'`, [id, problem]);
}

/** What the addresses that mails come back to are made with: what the first server said. */
export async function returnSecret(db: Db, fresh: string): Promise<string> {
  await run(db, 'mail.firstSecret', `insert into setting (name, value) values ('mailReturns', to_jsonb($1::text)) on conflict do nothing`, [
    fresh,
  ]);
  return (await row<{ value: string }>(db, 'mail.secret', `select value #>> '{}' as value from setting where name = 'mailReturns'`))!.value;
}

export interface MailRow extends Record<string, unknown> {
  id: string;
  to_id: string;
  to_name: string;
  address: string;
  kind: string;
  subject: string;
  state: 'waiting' | 'sending' | 'sent' | 'refused' | 'uncertain' | 'returned';
  tries: number;
  queued_at: Date;
  ended_at: Date | null;
  problem: string | null;
  /** Whether its texts are still there. */
  whole: boolean;
}

const mailRows = `select m.id, m.to_id, p.name as to_name, m.address, m.kind, m.subject, m.state, m.tries, m.queued_at, m.ended_at, m.problem, m.body is not null as whole
  from mail m join principal p on p.id = m.to_id`;

/** What did not arrive and can be sent again, and what came back in the last two weeks. */
const notArrived = `(m.state in ('refused', 'uncertain') and m.body is not null) or (m.state = 'returned' and m.ended_at > now() - interval '14 days')`;

/** How much of it there is, and since which day. */
export async function mailsNotArrived(db: Db): Promise<{ readonly n: number; readonly since: string | null }> {
  return (await row<{ n: number; since: string | null }>(
    db,
    'mail.notArrived',
    `select count(*)::int as n, min(repository_date(m.ended_at))::text as since from mail m
     where m.state in ('refused', 'uncertain', 'returned') and (${notArrived})`,
  ))!;
}

/** What did not arrive first, then the newest. */
export function recentMails(db: Db, most: number) {
  return rows<MailRow>(db, 'mail.recent', `${mailRows} order by ${notArrived} desc, m.queued_at desc, m.id limit $1`, [most]);
}

export async function lockMail(db: Db, id: string): Promise<MailRow | undefined> {
  await run(db, 'mail.lock', 'select from mail where id = $1 for update', [id]);
  return row<MailRow>(db, 'mail.one', `${mailRows} where m.id = $1`, [id]);
}

export async function sendAgain(db: Db, id: string): Promise<void> {
  await run(
    db,
    'mail.again',
    `update mail set state = 'waiting', next_at = now(), queued_at = now(), ended_at = null, tries = 0 where id = $1`,
    [id],
  );
}

export interface Receiver extends Record<string, unknown> {
  id: string;
  name: string;
  email: string | null;
  language: string | null;
  /** Kinds of messages that do not come at once. */
  choices: Readonly<Record<string, 'now' | 'daily' | 'never'>>;
}

export function receivers(db: Db, ids: readonly string[]) {
  return rows<Receiver>(
    db,
    'mail.receivers',
    `select p.id, p.name, case when p.active then p.email end as email, p.language,
            coalesce((select jsonb_object_agg(c.kind, c.how) from mail_choice c where c.principal_id = p.id), '{}') as choices
     from principal p where p.id = any ($1::uuid[])`,
    [ids],
  );
}

export async function chooseMail(db: Db, principalId: string, kind: string, how: string): Promise<void> {
  await run(
    db,
    'mail.choose',
    `insert into mail_choice (principal_id, kind, how) values ($1, $2, $3) on conflict (principal_id, kind) do update set how = excluded.how`,
    [principalId, kind, how],
  );
}

export async function addToDigest(db: Db, due: readonly { readonly messageId: string; readonly principalId: string }[]): Promise<void> {
  await run(db, 'mail.digestAdd', 'insert into digest_due (message_id, principal_id) select * from unnest($1::uuid[], $2::uuid[])', [
    due.map((d) => d.messageId),
    due.map((d) => d.principalId),
  ]);
}

/** Takes all messages that wait for the mail of the day. */
export function takeDigests(db: Db) {
  return rows<{ principal_id: string; subject: string; body: string; link: string | null }>(
    db,
    'mail.digestTake',
    `with taken as (delete from digest_due returning message_id, principal_id)
     select t.principal_id, m.subject, m.body, m.link from taken t join message m on m.id = t.message_id order by t.principal_id, m.sent_at, m.id`,
  );
}

/** What left, or did not, of the messages of a person. */
export function mailsOfMessages(db: Db, principalId: string) {
  return rows<{ message_id: string; state: MailRow['state']; address: string; ended_at: Date | null }>(
    db,
    'mail.ofMessages',
    'select message_id, state, address, ended_at from mail where to_id = $1 and message_id is not null',
    [principalId],
  );
}

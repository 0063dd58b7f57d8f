import { Readable } from 'node:stream';
import MailComposer from 'nodemailer/lib/mail-composer/index.js';
import SMTPConnection from 'nodemailer/lib/smtp-connection/index.js';
import type pg from 'pg';
import type { Logger } from 'pino';
import type { MailConfig } from '../kernel/index.js';
import type { ReturnAddresses } from './returns.js';
import * as store from './store.js';

const lookEveryMs = 2000;
/** Minutes until a mail is tried again, time after time; the last counts from then on. */
const pauses = [1, 5, 15, 60, 240];
const giveUpAfterMs = 3 * 86_400_000;
/** Whatever is being sent for longer has nobody any more who sends it. */
const claimedMinutes = 10;
const patienceMs = 60_000;

/** What became of a mail: it left, is refused for good or for now, or nobody knows. */
type Came = 'sent' | { readonly refused: string } | { readonly later: string } | { readonly uncertain: string };

interface SmtpError extends Error {
  readonly responseCode?: number;
  readonly response?: string;
  /** At which command of SMTP it happened. */
  readonly command?: string;
}

/** Commands that are about one mail, and answers to them that are about signing in or the line (RFC 4954 §6). */
const ofTheMail = new Set(['MAIL FROM', 'RCPT TO', 'DATA']);
const ofTheLine = new Set([530, 534, 535, 538]);

/**
 * What an error of SMTP means (RFC 5321 §4.2.1): 5xx on a mail is for good, 4xx for now; what is wrong with the line or with signing in is for
 * whoever set them to mend, and the mail waits. Where there was no answer, nobody knows once the text of the
 * mail has `begun` to leave.
 */
export function meaningOf(error: SmtpError, begun: boolean): Exclude<Came, 'sent'> {
  const said = (error.response ?? error.message).slice(0, 500);
  const code = error.responseCode ?? 0;
  if (code >= 500 && code < 600 && ofTheMail.has(error.command ?? '') && !ofTheLine.has(code)) return { refused: said };
  if (code >= 400) return { later: said };
  return begun ? { uncertain: said } : { later: said };
}

/** Sends what waits, for as long as it runs. */
export interface Mailer {
  /** One look at what waits; resolves when all that was taken has an end. */
  sendNow(): Promise<void>;
  stop(): Promise<void>;
}

/** A connection to the mail server, greeted and signed in. */
async function connected({ url, user, password, authority }: MailConfig): Promise<SMTPConnection> {
  const address = new URL(url);
  const secure = address.protocol === 'smtps:';
  const loopback = ['127.0.0.1', 'localhost', '[::1]'].includes(address.hostname);
  const connection = new SMTPConnection({
    host: address.hostname,
    port: Number(address.port || (secure ? 465 : 587)),
    secure,
    // A password, or what is nobody’s business, does not go over a line that everybody reads.
    requireTLS: !secure && !loopback,
    ignoreTLS: loopback && !secure,
    ...(authority === null ? {} : { tls: { ca: authority } }),
    connectionTimeout: patienceMs,
    greetingTimeout: patienceMs,
    socketTimeout: patienceMs,
  });
  // Whoever uses it listens for themselves; an error that comes while nobody does is met at the next use, and ends nothing.
  connection.on('error', () => undefined);
  await new Promise<void>((resolve, reject) => {
    connection.once('error', reject);
    connection.connect((error) => (error ? reject(error) : resolve()));
  });
  if (user !== null)
    await new Promise<void>((resolve, reject) =>
      connection.login({ credentials: { user, pass: password ?? '' } } as never, (error) => (error ? reject(error) : resolve())),
    );
  return connection;
}

/** Sends one mail over a connection; `begins` is called when its text is asked for, after which nobody knows until there is an answer. */
async function speak(
  connection: SMTPConnection,
  mail: store.ClaimedMail,
  { from, domain, returns }: { from: string; domain: string; returns: ReturnAddresses | null },
  begins: () => void,
): Promise<void> {
  const node = new MailComposer({
    messageId: `<${mail.id}@${domain}>`,
    from,
    to: { name: mail.to_name, address: mail.address },
    subject: mail.subject,
    text: mail.body,
    html: mail.html,
    date: mail.queued_at,
    headers: { 'Auto-Submitted': 'auto-generated', 'X-Auto-Response-Suppress': 'All' },
    disableFileAccess: true,
    disableUrlAccess: true,
  }).compile();
  const bytes = await node.build();
  let left = false;
  const text = new Readable({
    read() {
      begins();
      this.push(left ? null : bytes);
      left = true;
    },
  });
  await new Promise<void>((resolve, reject) => {
    connection.once('error', reject);
    // What comes back of it comes to an address of its own, where there is somebody who takes it.
    connection.send({ from: returns?.of(mail.id) ?? (node.getEnvelope().from as string), to: [mail.address] }, text, (error) => {
      connection.off('error', reject);
      if (error) reject(error);
      else resolve();
    });
  });
}

/** `refused` is told of every mail that will not arrive. */
export function openMailer(
  pool: pg.Pool,
  log: Logger,
  given: {
    readonly config: MailConfig;
    readonly domain: string;
    readonly returns: ReturnAddresses | null;
    refused(mail: store.ClaimedMail, problem: string): Promise<void>;
  },
): Mailer {
  let stopping = false;
  let under: Promise<void> | null = null;
  let connection: SMTPConnection | null = null;
  const hangUp = (): void => {
    connection?.quit();
    connection?.close();
    connection = null;
  };

  const leave = async (mail: store.ClaimedMail): Promise<Came> => {
    let begun = false;
    try {
      connection ??= await connected(given.config);
      await speak(connection, mail, { from: given.config.from, domain: given.domain, returns: given.returns }, () => (begun = true));
      return 'sent';
    } catch (error) {
      hangUp();
      return meaningOf(error as SmtpError, begun);
    }
  };
  const end = async (mail: store.ClaimedMail, came: Came): Promise<void> => {
    if (came === 'sent') return store.endMail(pool, mail.id, 'sent', null);
    if ('uncertain' in came) return store.endMail(pool, mail.id, 'uncertain', came.uncertain);
    if ('later' in came && Date.now() - mail.queued_at.getTime() < giveUpAfterMs)
      return store.putOffMail(pool, mail.id, pauses[Math.min(mail.tries, pauses.length) - 1]!, came.later);
    const problem = 'later' in came ? came.later : came.refused;
    await store.endMail(pool, mail.id, 'refused', problem);
    await given.refused(mail, problem);
  };
  const look = async (): Promise<void> => {
    if ((await store.giveUpClaimed(pool, claimedMinutes)) > 0)
      log.warn('mails were being sent when their server ended: they may have arrived');
    // One at a time: what is taken is sent, and whatever else waits is anybody’s.
    while (!stopping) {
      const mail = await store.claimMail(pool);
      if (!mail) break;
      await end(mail, await leave(mail));
    }
    hangUp();
  };
  const sendNow = (): Promise<void> => {
    under ??= look().finally(() => (under = null));
    return under;
  };
  const timer = setInterval(
    () => void sendNow().catch((error: unknown) => log.warn({ err: error }, 'mail could not be looked after')),
    lookEveryMs,
  );
  return {
    sendNow,
    async stop() {
      stopping = true;
      clearInterval(timer);
      await under?.catch(() => undefined);
      hangUp();
    },
  };
}

import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import type { AddressInfo } from 'node:net';
import type pg from 'pg';
import type { Logger } from 'pino';
import PostalMime from 'postal-mime';
import { SMTPServer } from 'smtp-server';
import { ConfigWrong, type MailReturns } from '../kernel/index.js';
import * as store from './store.js';

/** What a report says of a mail, the first that matters of several receivers. Source: RFC 3464 §2.3.3–2.3.6. */
export interface Report {
  readonly action: 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded';
  /** What the mail server beyond said, on one line. */
  readonly problem: string;
}

const actions = ['failed', 'delayed', 'delivered', 'relayed', 'expanded'] as const;
const mostReport = 256 * 1024;
const longestProblem = 500;

/** Groups of fields with blank lines between them, folded lines put together (RFC 3464 §2.1). */
const fieldGroups = (text: string): ReadonlyMap<string, string>[] =>
  text
    .replace(/\r\n?/g, '\n')
    .replace(/\n[ \t]+/g, ' ')
    .split(/\n{2,}/)
    .map(
      (group) =>
        new Map(
          group
            .split('\n')
            .map((line) => /^([A-Za-z-]+):\s*(.*)$/.exec(line))
            .filter((found) => found !== null)
            .map(([, name, value]) => [name!.toLowerCase(), value!.trim()]),
        ),
    );

/** What is sent, no more of it than a report may have: the rest is let go by. */
async function bounded(sent: AsyncIterable<Buffer>): Promise<Buffer> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of sent) {
    size += part.length;
    if (size <= mostReport) parts.push(part);
  }
  return Buffer.concat(parts);
}

/** What a mail says as a report of delivery; null for every other mail, such as one that somebody’s absence answers. */
export async function readReport(source: Buffer): Promise<Report | null> {
  const mail = await PostalMime.parse(source, { forceRfc822Attachments: true });
  const type = mail.headers.find((h) => h.key === 'content-type')?.value ?? '';
  if (!/^multipart\/report\b/i.test(type) || !/report-type\s*=\s*"?delivery-status\b/i.test(type)) return null;
  const part = mail.attachments.find((a) => a.mimeType === 'message/delivery-status');
  if (!part) return null;
  const text = typeof part.content === 'string' ? part.content : Buffer.from(part.content as ArrayBuffer).toString('utf8');
  for (const action of actions) {
    const of = fieldGroups(text).find((group) => group.get('action')?.toLowerCase() === action);
    if (!of) continue;
    // “smtp; 550 5.1.1 …”: what comes before says only in whose words it is.
    const said = (of.get('diagnostic-code') ?? '').replace(/^[A-Za-z0-9-]+;\s*/, '');
    const problem = [said === '' ? (of.get('status') ?? '') : said].join(' ').replace(/\s+/g, ' ').trim();
    return { action, problem: problem.slice(0, longestProblem) };
  }
  return null;
}

/** Where each mail comes back to: an address of its own, which nobody can make who has not had it (RFC 5321 §4.4, the reverse-path). */
export interface ReturnAddresses {
  of(mailId: string): string;
  /** The mail that an address is of; null for one that was not made here. */
  mailOf(address: string): string | null;
}

export function returnAddresses(domain: string, secret: Buffer): ReturnAddresses {
  const mac = (id: string): string => createHmac('sha256', secret).update(id).digest('hex').slice(0, 20);
  return {
    of: (mailId) => `back+${mailId.replaceAll('-', '')}.${mac(mailId)}@${domain}`,
    mailOf(address) {
      const found = /^back\+([0-9a-f]{8})([0-9a-f]{4})([0-9a-f]{4})([0-9a-f]{4})([0-9a-f]{12})\.([0-9a-f]{20})@(.+)$/i.exec(address);
      if (found?.[7]!.toLowerCase() !== domain.toLowerCase()) return null;
      const id = found.slice(1, 6).join('-').toLowerCase();
      return timingSafeEqual(Buffer.from(found[6]!.toLowerCase()), Buffer.from(mac(id))) ? id : null;
    },
  };
}

/** The addresses of this repository: all of its servers know the same secret. */
export async function openReturnAddresses(pool: pg.Pool, domain: string): Promise<ReturnAddresses> {
  return returnAddresses(domain, Buffer.from(await store.returnSecret(pool, randomBytes(32).toString('hex')), 'hex'));
}

/** Takes in what comes back of mails (SMTP), for as long as it runs; `came` is told of each mail that did not arrive. */
export async function openReturns(
  pool: pg.Pool,
  log: Logger,
  given: {
    readonly returns: MailReturns;
    readonly addresses: ReturnAddresses;
    came(mail: store.ReturnedMail, problem: string): Promise<void>;
  },
): Promise<{ readonly port: number; stop(): Promise<void> }> {
  const refused = (code: number, text: string): Error => Object.assign(new Error(text), { responseCode: code });
  const take = async (ids: readonly string[], source: Buffer): Promise<void> => {
    const report = await readReport(source).catch((error: unknown) => {
      log.warn({ err: error, mails: ids }, 'what came back of a mail could not be read');
      return null;
    });
    if (!report) return;
    for (const id of ids) {
      if (report.action === 'delayed') await store.noteDelay(pool, id, report.problem);
      if (report.action !== 'failed') continue;
      const mail = await store.takeBack(pool, id, report.problem);
      if (mail) await given.came(mail, report.problem);
    }
  };
  const server = new SMTPServer({
    banner: 'returns only',
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: mostReport,
    maxClients: 20,
    socketTimeout: 60_000,
    logger: false,
    disableReverseLookup: true,
    onRcptTo({ address }, _session, done) {
      done(given.addresses.mailOf(address) === null ? refused(550, 'Nobody is written to here.') : undefined);
    },
    onData(stream, session, done) {
      const ids = session.envelope.rcptTo.map(({ address }) => given.addresses.mailOf(address)!);
      bounded(stream as AsyncIterable<Buffer>)
        .then((source) => (stream.sizeExceeded ? Promise.reject(refused(552, 'Too large for a report.')) : take(ids, source)))
        .then(
          () => done(),
          (error: unknown) => {
            log.warn({ err: error }, 'what came back of a mail could not be taken in');
            done(error instanceof Error && 'responseCode' in error ? error : refused(451, 'Try again later.'));
          },
        );
    },
  });
  server.on('error', (error) => log.warn({ err: error }, 'returns of mail'));
  const { host, port } = given.returns;
  await new Promise<void>((resolve, reject) => {
    server.once('error', ({ message }) =>
      reject(new ConfigWrong(`MAIL_RETURNS says ${host}:${port}, where nothing can listen: ${message}`)),
    );
    server.listen(port, host, resolve);
  });
  return {
    port: (server.server.address() as AddressInfo).port,
    stop: () => new Promise((resolve) => server.close(() => resolve())),
  };
}

import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import SMTPConnection from 'nodemailer/lib/smtp-connection/index.js';
import { SMTPServer } from 'smtp-server';
import type { StandIn } from './listen.js';

export interface MailServer extends StandIn {
  /** Where reports go to, on loopback. Whoever’s address begins with “gone” is not there: what is for them is taken, and comes back. */
  returnTo(port: number): void;
}

/** A report that a mail did not arrive (RFC 3464), to where it came from. */
const reportOf = (from: string, to: string): string =>
  [
    'From: Mail Delivery System <mailer-daemon@stand-in.example>',
    `To: <${from}>`,
    'Subject: Undelivered mail returned to sender',
    'Auto-Submitted: auto-replied',
    'MIME-Version: 1.0',
    'Content-Type: multipart/report; report-type=delivery-status; boundary="report"',
    '',
    '--report',
    'Content-Type: text/plain; charset=utf-8',
    '',
    `The mail to ${to} could not be delivered.`,
    '--report',
    'Content-Type: message/delivery-status',
    '',
    'Reporting-MTA: dns; stand-in.example',
    '',
    `Final-Recipient: rfc822; ${to}`,
    'Action: failed',
    'Status: 5.1.1',
    'Diagnostic-Code: smtp; 550 5.1.1 There is no such mailbox here',
    '--report--',
    '',
  ].join('\r\n');

/** Brings a report back; one that cannot be brought is dropped, as a real server does in the end. */
async function bringBack(port: number, from: string, to: string): Promise<void> {
  const connection = new SMTPConnection({ host: '127.0.0.1', port, ignoreTLS: true });
  try {
    await new Promise<void>((resolve, reject) => {
      connection.on('error', reject);
      connection.connect((error) => (error ? reject(error) : resolve()));
    });
    await new Promise<void>((resolve, reject) => {
      connection.send({ from: false as never, to: [from] }, reportOf(from, to), (error) => (error ? reject(error) : resolve()));
    });
  } finally {
    connection.close();
  }
}

/** A mail server that takes everything, for nobody in particular, and keeps it as files (RFC 5322). */
export async function startMailServer(folder: string): Promise<MailServer> {
  await mkdir(folder, { recursive: true });
  let n = 0;
  let returns: number | null = null;
  const server = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: 20_000_000,
    logger: false,
    onData(stream, session, done) {
      const { mailFrom, rcptTo } = session.envelope;
      buffer(stream)
        .then((bytes) => writeFile(join(folder, `${Date.now()}-${session.id}-${n++}.eml`), bytes))
        .then(() => {
          done();
          for (const { address } of rcptTo)
            if (returns !== null && mailFrom && mailFrom.address !== '' && /^gone/i.test(address))
              void bringBack(returns, mailFrom.address, address).catch(() => undefined);
        }, done);
    },
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  const { port } = server.server.address() as { port: number };
  return {
    url: `smtp://127.0.0.1:${port}`,
    returnTo(to) {
      returns = to;
    },
    stop: () => new Promise((resolve) => server.close(() => resolve())),
  };
}

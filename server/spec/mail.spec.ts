import { createServer, type Server, type Socket } from 'node:net';
import { identity, ledger, people, reports } from '@key-cellar/contract';
import PostalMime from 'postal-mime';
import { SMTPServer } from 'smtp-server';
import { message, told } from '@key-cellar/words';
import SMTPConnection from 'nodemailer/lib/smtp-connection/index.js';
import { send, sendDigests } from '../src/identity/index.js';
import { startServer } from '../src/index.js';
import { programActor, withUnitOfWork, type MailConfig } from '../src/kernel/index.js';
import {
  meaningOf,
  openMailer,
  openReturnAddresses,
  openReturns,
  readReport,
  returnAddresses,
  writeMailSetting,
  type ReturnAddresses,
} from '../src/mail/index.js';
import { certificateFor } from './support/certificate.js';
import { eventually } from './support/eventually.js';
import { asOwner, configFor, dropDatabase, freshDatabase } from './support/database.js';
import { signedInAt } from './support/founded.js';
import { Client, makeWorld, password, problemOf, statusOf, today, type World } from './support/world.js';

/** A mail as it came in, and for whom. */
interface Arrived {
  /** The reverse-path of its envelope. */
  readonly from: string;
  readonly to: string[];
  readonly raw: Buffer;
}

describe('mail', () => {
  let world: World;
  let smtp: SMTPServer;
  let url: string;
  const arrived: Arrived[] = [];
  /** What the server says of an address: nothing, or an error of SMTP. */
  let says: (address: string) => { code: number; text: string } | null = () => null;
  const refused: string[] = [];
  /** How the mail server is reached, where it is not that of the others. */
  let line: Partial<MailConfig> = {};
  /** Where what comes back goes to; null: it is not taken in. */
  let addresses: ReturnAddresses | null = null;
  const config = () => ({
    ...{ url, user: null, password: null, authority: null, from: 'Key Cellar <cellar@test.example>', returns: null },
    ...line,
  });
  const mailer = () =>
    openMailer(world.pool, world.services.log, {
      config: config(),
      domain: 'cellar.test',
      returns: addresses,
      refused: (mail, problem) => Promise.resolve(void refused.push(`${mail.address}: ${problem}`)),
    });
  /** Sends what waits. */
  const deliver = async (): Promise<void> => {
    const one = mailer();
    await one.sendNow();
    await one.stop();
  };
  const admin = () => world.as('keeper');
  const letters = (...to: { login: 'keeper' | 'editor' | 'reader'; kind?: string; text?: string }[]) =>
    withUnitOfWork(world.pool, programActor('test', today), (uow) =>
      send(
        uow,
        to.map(({ login, kind = 'notice', text = 'Something <b>came</b> up & needs you.' }) => ({
          toId: world.ids[login],
          kind,
          subject: message('records.recordDisposed'),
          body: told(text),
          link: '/holds/1',
        })),
      ),
    );
  const parsed = () => Promise.all(arrived.map(async (one) => ({ ...(await PostalMime.parse(one.raw)), envelope: one.to })));
  const states = async (): Promise<string[]> =>
    (await world.pool.query<{ state: string }>('select state from mail order by queued_at, id')).rows.map((r) => r.state);

  beforeAll(async () => {
    world = await makeWorld();
    smtp = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      logger: false,
      onRcptTo({ address }, _session, done) {
        const wrong = says(address);
        done(wrong ? Object.assign(new Error(wrong.text), { responseCode: wrong.code }) : undefined);
      },
      onData(stream, session, done) {
        const parts: Buffer[] = [];
        stream.on('data', (part: Buffer) => parts.push(part));
        stream.on('end', () => {
          arrived.push({
            from: session.envelope.mailFrom ? session.envelope.mailFrom.address : '',
            to: session.envelope.rcptTo.map((r) => r.address),
            raw: Buffer.concat(parts),
          });
          done();
        });
      },
    });
    await new Promise<void>((resolve) => smtp.listen(0, '127.0.0.1', resolve));
    url = `smtp://127.0.0.1:${(smtp.server.address() as { port: number }).port}`;
    await asOwner(world.database, async (client) => {
      await client.query(
        `update principal set email = login || '@test.example' where kind = 'person' and login in ('keeper', 'editor', 'reader', 'counsel')`,
      );
      await client.query(
        `insert into grant_ (id, principal_id, place_id, profile, reason) values (gen_random_uuid(), $1, $2, 'administrator', 'first keeper')`,
        [world.ids.keeper, world.ids.root],
      );
    });
  });
  afterAll(async () => {
    await world.stop();
    await new Promise<void>((resolve) => smtp.close(() => resolve()));
  });
  beforeEach(async () => {
    arrived.length = 0;
    refused.length = 0;
    says = () => null;
    line = {};
    await writeMailSetting(world.pool, { on: true, publicUrl: 'https://cellar.test.example' });
    await asOwner(world.database, (client) => client.query('truncate mail, digest_due, mail_choice, sign_in_try'));
  });

  it('leaves with what a message says, once, as text and as HTML, in the language of whoever gets it', async () => {
    await asOwner(world.database, (client) => client.query(`update principal set language = 'de' where id = $1`, [world.ids.reader]));
    await letters({ login: 'editor' }, { login: 'reader' }, { login: 'keeper' });
    expect(await states()).toEqual(['waiting', 'waiting', 'waiting']);
    // Two servers look at once.
    const [one, two] = [mailer(), mailer()];
    await Promise.all([one.sendNow(), two.sendNow(), one.sendNow()]);
    await Promise.all([one.stop(), two.stop()]);
    expect(await states()).toEqual(['sent', 'sent', 'sent']);
    const mails = await parsed();
    expect(mails.map((m) => m.envelope.join()).sort()).toEqual(['editor@test.example', 'keeper@test.example', 'reader@test.example']);
    const [toEditor, toReader] = ['editor', 'reader'].map((login) => mails.find((m) => m.envelope[0]!.startsWith(login))!);
    expect([toEditor!.from!.address, toEditor!.to![0]!.name]).toEqual(['cellar@test.example', 'Person editor']);
    expect(toEditor!.subject).toBe('This record was disposed of; only its stub remains.');
    expect(toEditor!.text).toContain('Dear Person editor,');
    expect(toEditor!.text).toContain('https://cellar.test.example/holds/1');
    expect(toEditor!.html).toContain('&#60;b&#62;');
    expect(toEditor!.html).not.toContain('<b>came</b>');
    expect(toReader!.text).toContain('Guten Tag Person reader,');
    expect(new Set(mails.map((m) => m.messageId)).size).toBe(3);
    expect(toEditor!.headers.find((h) => h.key === 'auto-submitted')!.value).toBe('auto-generated');
    // What was in it is gone; a second look sends nothing.
    const { rows } = await world.pool.query('select 1 from mail where body is not null or html is not null');
    expect(rows.length).toBe(0);
    await deliver();
    expect(arrived.length).toBe(3);
    await asOwner(world.database, (client) => client.query(`update principal set language = null`));
  });

  it('is written nowhere when no mail leaves, for nobody without an address, and not for who was let go', async () => {
    await writeMailSetting(world.pool, { on: false, publicUrl: '' });
    await letters({ login: 'editor' });
    expect(await states()).toEqual([]);
    await writeMailSetting(world.pool, { on: true, publicUrl: 'https://cellar.test.example' });
    await letters({ login: 'editor' });
    await asOwner(world.database, (client) => client.query(`update principal set active = false where id = $1`, [world.ids.editor]));
    await deliver();
    expect(arrived.length).toBe(0);
    await letters({ login: 'editor' });
    expect(await states()).toEqual(['waiting']);
    await asOwner(world.database, (client) => client.query(`update principal set active = true where id = $1`, [world.ids.editor]));
  });

  it('comes as people choose: at once, with the others of the day in one mail, or not at all', async () => {
    const choose = (kind: 'notice' | 'question', how: 'now' | 'daily' | 'never') =>
      world.as('editor').call(identity.chooseMail, { body: { kind, how } });
    await choose('notice', 'daily');
    await choose('question', 'never');
    const chosen = await world.as('editor').call(identity.mailChoices);
    expect([chosen.on, chosen.address]).toEqual([true, 'editor@test.example']);
    expect(Object.fromEntries(chosen.kinds.map((k) => [k.kind, k.how]))).toEqual(
      jasmine.objectContaining({ notice: 'daily', question: 'never', 'hold notice': 'now' }),
    );
    await letters(
      { login: 'editor' },
      { login: 'editor', text: 'And another.' },
      { login: 'editor', kind: 'question' },
      { login: 'keeper' },
    );
    await deliver();
    expect(arrived.map((a) => a.to.join())).toEqual(['keeper@test.example']);
    // Once on a day, whoever looks.
    await asOwner(world.database, (client) => client.query(`delete from setting where name = 'digested'`));
    await Promise.all([1, 2, 3].map(() => sendDigests(world.services, today)));
    await deliver();
    const digest = (await parsed()).filter((m) => m.envelope[0] === 'editor@test.example');
    expect(digest.map((m) => m.subject)).toEqual(['2 messages from Test']);
    expect(digest[0]!.text).toContain('And another.');
    // What comes later that day waits for the next, and on a day with nothing nothing goes.
    await letters({ login: 'editor', text: 'Later that day.' });
    await sendDigests(world.services, today);
    await deliver();
    expect(arrived.length).toBe(2);
    for (const day of ['2026-09-15', '2026-09-16']) {
      await sendDigests(world.services, day);
      await deliver();
      expect(arrived.length).toBe(3);
    }
    expect((await parsed()).at(-1)!.text).toContain('Later that day.');
    // It stands beside the message.
    const { messages } = await world.as('keeper').call(identity.messages);
    expect(messages[0]!.mail).toEqual(jasmine.objectContaining({ address: 'keeper@test.example', state: 'sent' }));
  });

  it('that is refused for good is told and not tried again, and for now is tried later', async () => {
    says = (address) =>
      address.startsWith('editor')
        ? { code: 550, text: 'No such mailbox' }
        : address.startsWith('reader')
          ? { code: 451, text: 'Try again later' }
          : null;
    await letters({ login: 'editor' }, { login: 'reader' }, { login: 'keeper' });
    await deliver();
    expect((await states()).sort()).toEqual(['refused', 'sent', 'waiting']);
    expect(refused).toEqual(['editor@test.example: 550 No such mailbox']);
    await deliver();
    expect(arrived.length).toBe(1);
    const { mails } = await admin().call(people.mail);
    expect(mails.map((m) => [m.to.name, m.state, m.again]).slice(0, 1)).toEqual([['Person editor', 'refused', true]]);
    expect(mails[0]!.problem).toContain('No such mailbox');
    const today_ = async (login: 'keeper' | 'auditor') =>
      (await world.as(login).call(reports.today)).lines.filter((l) => l.key === 'mail').map((l) => l.sentence);
    expect([await today_('keeper'), await today_('auditor')]).toEqual([['One mail did not arrive'], []]);
    // Its time has come; and after three days it is given up.
    says = () => ({ code: 451, text: 'Try again later' });
    await asOwner(world.database, (client) => client.query(`update mail set next_at = now() where state = 'waiting'`));
    await deliver();
    expect((await world.pool.query<{ tries: number }>(`select tries from mail where state = 'waiting'`)).rows[0]!.tries).toBe(2);
    await asOwner(world.database, (client) =>
      client.query(`update mail set next_at = now(), queued_at = now() - interval '73 hours' where state = 'waiting'`),
    );
    await deliver();
    expect((await states()).filter((s) => s === 'refused').length).toBe(2);
    // Sent again by whoever sets up, and by nobody else.
    says = () => null;
    for (const login of ['editor', 'deputy', 'auditor'] as const)
      expect(await statusOf(world.as(login).call(people.mailAgain, { params: { id: mails[0]!.id } })))
        .withContext(login)
        .toBe(403);
    await admin().call(people.mailAgain, { params: { id: mails[0]!.id } });
    await deliver();
    expect(arrived.some((a) => a.to[0] === 'editor@test.example')).toBeTrue();
    expect(await statusOf(admin().call(people.mailAgain, { params: { id: mails[0]!.id } }))).toBe(409);
  });

  it('that was not begun waits when a server stops, and is not taken for one that may have arrived', async () => {
    await letters({ login: 'editor' }, { login: 'reader' }, { login: 'keeper' });
    const one = mailer();
    const sending = one.sendNow();
    await one.stop();
    await sending;
    expect(new Set(await states())).not.toContain('sending');
    await deliver();
    expect([arrived.length, await states()]).toEqual([3, ['sent', 'sent', 'sent']]);
  });

  it('that may have arrived is never sent again by itself', async () => {
    // Taken by a server that died.
    await letters({ login: 'editor' });
    await asOwner(world.database, (client) =>
      client.query(`update mail set state = 'sending', tries = 1, claimed_at = now() - interval '11 minutes'`),
    );
    await deliver();
    expect([await states(), arrived.length]).toEqual([['uncertain'], 0]);
    // A connection that breaks after the data, before the answer.
    const sockets = new Set<Socket>();
    const breaking: Server = createServer((socket) => {
      sockets.add(socket);
      socket.on('error', () => undefined);
      socket.write('220 breaking\r\n');
      let data = false;
      let text = '';
      socket.on('data', (bytes) => {
        const line = bytes.toString();
        if (data) return void ((text += line).endsWith('\r\n.\r\n') && socket.destroy());
        if (line.startsWith('DATA')) data = true;
        socket.write(line.startsWith('DATA') ? '354 go on\r\n' : line.startsWith('EHLO') ? '250 breaking\r\n' : '250 ok\r\n');
      });
    });
    await new Promise<void>((resolve) => breaking.listen(0, '127.0.0.1', resolve));
    const working = url;
    url = `smtp://127.0.0.1:${(breaking.address() as { port: number }).port}`;
    await letters({ login: 'keeper' });
    await deliver();
    expect(await states()).toEqual(['uncertain', 'uncertain']);
    // Nobody there at all: it cannot have arrived, and is tried again.
    url = 'smtp://127.0.0.1:9';
    await letters({ login: 'reader' });
    await deliver();
    expect(await states()).toEqual(['uncertain', 'uncertain', 'waiting']);
    url = working;
    await new Promise<void>((resolve) => {
      for (const socket of sockets) socket.destroy();
      breaking.close(() => resolve());
    });
  });

  describe('over a line that others could read', () => {
    const came: { readonly user: string; readonly password: string; readonly secure: boolean }[] = [];
    const takes: { readonly secure: boolean; readonly user: string | undefined }[] = [];
    /** An address that is not this machine’s to a mail server, and has a certificate of its own. */
    const host = '127.0.0.2';
    let identity_: Awaited<ReturnType<typeof certificateFor>>;
    let open: SMTPServer[] = [];
    const listen = async (options: object): Promise<number> => {
      const one = new SMTPServer({
        ...{ logger: false, authMethods: ['PLAIN'], ...identity_ },
        onAuth({ username, password: said }, session, done) {
          const user = username ?? '';
          came.push({ user, password: said ?? '', secure: session.secure });
          if (said === 'the right one') done(null, { user });
          else done(Object.assign(new Error('no'), { responseCode: 535 }));
        },
        onData(stream, session, done) {
          takes.push({ secure: session.secure, user: session.user });
          stream.resume();
          stream.on('end', () => done());
        },
        ...options,
      });
      one.on('error', () => undefined);
      await new Promise<void>((resolve) => one.listen(0, host, resolve));
      open.push(one);
      return (one.server.address() as { port: number }).port;
    };
    const signedIn = { user: 'cellar', password: 'the right one' };

    beforeAll(async () => {
      identity_ = await certificateFor(host);
    });
    beforeEach(() => {
      came.length = 0;
      takes.length = 0;
    });
    afterEach(async () => {
      for (const one of open) await new Promise<void>((resolve) => one.close(() => resolve()));
      open = [];
    });

    it('signs in and leaves once the line is private: from the first byte, or by STARTTLS', async () => {
      const [first, later] = [await listen({ secure: true }), await listen({ secure: false })];
      for (const at of [`smtps://${host}:${first}`, `smtp://${host}:${later}`]) {
        line = { url: at, authority: identity_.cert, ...signedIn };
        await letters({ login: 'editor' });
        await deliver();
      }
      expect(came).toEqual([
        { ...signedIn, secure: true },
        { ...signedIn, secure: true },
      ]);
      expect(takes).toEqual([
        { secure: true, user: 'cellar' },
        { secure: true, user: 'cellar' },
      ]);
      expect(await states()).toEqual(['sent', 'sent']);
    });

    it('says no password and sends nothing where the line stays open, or the certificate is not known', async () => {
      const [plain, private_] = [await listen({ disabledCommands: ['STARTTLS'], allowInsecureAuth: true }), await listen({ secure: true })];
      await letters({ login: 'editor' });
      line = { url: `smtp://${host}:${plain}`, authority: identity_.cert, ...signedIn };
      await deliver();
      await asOwner(world.database, (client) => client.query('update mail set next_at = now()'));
      line = { url: `smtps://${host}:${private_}`, ...signedIn };
      await deliver();
      expect([came, takes, await states()]).toEqual([[], [], ['waiting']]);
      const own = await certificateFor('127.0.0.3');
      await asOwner(world.database, (client) => client.query('update mail set next_at = now()'));
      line = { url: `smtps://${host}:${private_}`, authority: own.cert, ...signedIn };
      await deliver();
      expect([came, takes, await states()]).toEqual([[], [], ['waiting']]);
    });

    it('waits where the password is not taken: that is for whoever set it to mend', async () => {
      const at = await listen({ secure: true });
      line = { url: `smtps://${host}:${at}`, authority: identity_.cert, user: 'cellar', password: 'another' };
      await letters({ login: 'editor' });
      await deliver();
      expect([came.length, takes, await states(), refused]).toEqual([1, [], ['waiting'], []]);
    });
  });

  it('says what answers of a mail server mean', () => {
    const of = (responseCode: number | undefined, command: string, begun = false) =>
      Object.keys(
        meaningOf(Object.assign(new Error('x'), { command, ...(responseCode === undefined ? {} : { responseCode }) }), begun) as object,
      )[0];
    expect([of(550, 'RCPT TO'), of(554, 'DATA'), of(552, 'MAIL FROM')]).toEqual(['refused', 'refused', 'refused']);
    expect([of(451, 'RCPT TO'), of(421, 'CONN'), of(535, 'AUTH PLAIN'), of(undefined, 'CONN')]).toEqual(Array(4).fill('later'));
    expect([of(502, 'STARTTLS'), of(554, 'CONN'), of(550, 'EHLO'), of(530, 'MAIL FROM')]).toEqual(Array(4).fill('later'));
    expect([of(undefined, 'CONN', true), of(550, 'DATA', true), of(451, 'DATA', true)]).toEqual(['uncertain', 'refused', 'later']);
  });

  describe('that comes back', () => {
    const came: string[] = [];
    let returns: Awaited<ReturnType<typeof openReturns>>;
    const report = (
      action: string,
      more: readonly string[] = ['Status: 5.1.1', 'Diagnostic-Code: smtp; 550 5.1.1 No such', '  mailbox here'],
    ) =>
      [
        ...['From: Mail Delivery System <daemon@relay.example>', 'Subject: Undelivered', 'MIME-Version: 1.0'],
        ...[
          'Content-Type: multipart/report; report-type=delivery-status;',
          '\tboundary="=_b"',
          '',
          '--=_b',
          'Content-Type: text/plain',
          '',
        ],
        ...[
          'It could not be delivered. Action: failed',
          '--=_b',
          'Content-Type: message/delivery-status',
          '',
          'Reporting-MTA: dns; relay.example',
        ],
        ...['', 'Final-Recipient: rfc822; editor@test.example', `Action: ${action}`, ...more],
        ...['', '--=_b', 'Content-Type: message/rfc822', '', 'Subject: as it was', '', 'body', '--=_b--', ''],
      ].join('\r\n');
    /** Brings something back to an address; gives what the server said, null where it took it. */
    const bring = async (to: string, source: string): Promise<string | null> => {
      const connection = new SMTPConnection({ host: '127.0.0.1', port: returns.port, ignoreTLS: true });
      connection.on('error', () => undefined);
      try {
        await new Promise<void>((resolve, reject) => connection.connect((error) => (error ? reject(error) : resolve())));
        return await new Promise<string | null>((resolve) =>
          connection.send({ from: '', to: [to] }, source, (error) => resolve(error ? error.message : null)),
        );
      } finally {
        connection.close();
      }
    };
    /** A mail that left, with the address that it comes back to. */
    const left = async (): Promise<{ id: string; back: string }> => {
      await letters({ login: 'editor' });
      await deliver();
      const { rows } = await world.pool.query<{ id: string }>(`select id from mail order by queued_at desc limit 1`);
      return { id: rows[0]!.id, back: arrived.at(-1)!.from };
    };
    const stateOf = async (id: string): Promise<string[]> => {
      const { rows } = await world.pool.query<{ state: string; problem: string | null }>(`select state, problem from mail where id = $1`, [
        id,
      ]);
      return [rows[0]!.state, rows[0]!.problem ?? ''];
    };

    beforeAll(async () => {
      addresses = await openReturnAddresses(world.pool, 'Returns.test.example');
      returns = await openReturns(world.pool, world.services.log, {
        returns: { domain: 'Returns.test.example', host: '127.0.0.1', port: 0 },
        addresses,
        came: (mail, problem) => Promise.resolve(void came.push(`${mail.address}: ${problem}`)),
      });
    });
    afterAll(async () => {
      addresses = null;
      await returns.stop();
    });

    it('is known by its address, told once, and first in the list of whoever sets up', async () => {
      const { id, back } = await left();
      expect(back).toMatch(/^back\+[0-9a-f]{32}\.[0-9a-f]{20}@Returns\.test\.example$/);
      expect(await bring(back, report('failed'))).toBeNull();
      expect(await stateOf(id)).toEqual(['returned', '550 5.1.1 No such mailbox here']);
      expect(await bring(back, report('failed'))).toBeNull();
      expect(came.splice(0)).toEqual(['editor@test.example: 550 5.1.1 No such mailbox here']);
      const [first] = (await admin().call(people.mail)).mails;
      expect([first!.id, first!.state, first!.again]).toEqual([id, 'returned', false]);
    });

    it('is nobody’s to say who has not had it', async () => {
      const { id, back } = await left();
      const other = returnAddresses('Returns.test.example', Buffer.alloc(32)).of(id);
      const wrong = [
        other,
        back.replace(/\.[0-9a-f]{20}@/, '.00000000000000000000@'),
        back.replace('@Returns.', '@elsewhere.'),
        back.replace(/^back\+[0-9a-f]{4}/, 'back+0000'),
        'editor@Returns.test.example',
        'back+@Returns.test.example',
      ];
      for (const to of wrong)
        expect(await bring(to, report('failed')))
          .withContext(to)
          .toMatch(/550 Nobody is written to here/);
      expect((await stateOf(id))[0]).toBe('sent');
      // Some servers write addresses in small letters only.
      expect(await bring(back.toLowerCase(), report('FAILED'))).toBeNull();
      expect((await stateOf(id))[0]).toBe('returned');
      came.length = 0;
    });

    it('only late is noted, and what is no report of delivery means nothing', async () => {
      const { id, back } = await left();
      const absence = [
        'From: Editor <editor@test.example>',
        'Subject: Away',
        'Auto-Submitted: auto-replied',
        '',
        'Action: failed',
        '',
      ].join('\r\n');
      const read = report('failed').replace('report-type=delivery-status', 'report-type=disposition-notification');
      const bare = report('failed').replace('message/delivery-status', 'text/plain');
      for (const source of [absence, read, bare, report('delivered'), report('anything'), 'nothing at all', '']) await bring(back, source);
      expect(await stateOf(id)).toEqual(['sent', '']);
      expect(await bring(back, report('delayed', ['Status: 4.4.7']))).toBeNull();
      expect(await stateOf(id)).toEqual(['sent', '4.4.7']);
      expect(await bring(back, `${report('failed')}${'x'.repeat(300_000)}`)).toMatch(/552/);
      expect((await stateOf(id))[0]).toBe('sent');
      expect(came).toEqual([]);
    });

    it('is read as mail servers write it', async () => {
      const several = report('delivered', [
        'Status: 2.0.0',
        '',
        'Final-Recipient: rfc822; b@test.example',
        'Action: failed',
        'Status: 5.2.2',
      ]);
      expect(await readReport(Buffer.from(several))).toEqual({ action: 'failed', problem: '5.2.2' });
      const bareLines = report('failed').replaceAll('\r\n', '\n');
      expect(await readReport(Buffer.from(bareLines))).toEqual({ action: 'failed', problem: '550 5.1.1 No such mailbox here' });
      const long = await readReport(Buffer.from(report('failed', [`Diagnostic-Code: x-unix; ${'very '.repeat(500)}`])));
      expect(long!.problem.length).toBe(500);
    });
  });

  it('comes back from the simulated server whose receiver is not there, and is entered', async () => {
    const database = await freshDatabase();
    const running = await startServer({ ...configFor(database), mail: 'stand-in' });
    try {
      const base = `http://127.0.0.1:${running.port}`;
      await new Client(base, '').call(identity.makeFirstKeeper, {
        body: { repository: 'Live', name: 'Person keeper', login: 'keeper', password },
      });
      const founder = await signedInAt(base, 'keeper');
      const body = { name: 'Gone', login: 'gone', email: 'gone.away@test.example', clearance: { level: 0, caveats: [] }, groupIds: [] };
      const { id } = await founder.call(people.make, { body: { ...body, invite: true, byMail: true } });
      const state = async () => (await founder.call(people.mail)).mails.find((m) => m.to.id === id)?.state;
      await eventually(async () => (await state()) === 'returned', 30_000);
      const { entries } = await founder.call(ledger.entries, { query: { limit: 20 } });
      expect(entries.map((e) => e.act)).toContain('a mail came back');
    } finally {
      await running.stop();
      await dropDatabase(database);
    }
  });

  it('invites, with a link that only its receiver gets to know', async () => {
    const details = { name: 'New One', login: 'new.one', email: 'new@test.example', clearance: { level: 0, caveats: [] }, groupIds: [] };
    const { id, invitation } = await admin().call(people.make, { body: { ...details, invite: true, byMail: true } });
    expect(invitation!.token).toBeNull();
    await deliver();
    const [mail] = await parsed();
    expect(mail!.text).toContain('Person keeper has added you to Test');
    const token = /\/welcome#(\S+)/.exec(mail!.text!)![1]!;
    expect((await new Client(world.base, '').call(people.invitation, { body: { token } })).login).toBe('new.one');
    await asOwner(world.database, (client) => client.query(`update principal set email = null where id = $1`, [id]));
    expect(await statusOf(admin().call(people.invite, { params: { id }, body: { byMail: true } }))).toBe(422);
    // What could not be sent was not begun: the link of before works still.
    expect(await statusOf(new Client(world.base, '').call(people.invitation, { body: { token } }))).toBe(200);
  });

  it('brings a link to choose another password, and tells whoever asks nothing', async () => {
    const ask = async (login: string) => {
      const response = await new Client(world.base, '').fetch('/api/forgot', {
        method: 'POST',
        body: JSON.stringify({ login }),
        headers: { 'content-type': 'application/json' },
      });
      return `${response.status} ${await response.text()}`;
    };
    // A person with an address, one without, one who was never here: the same.
    const answers = [await ask('counsel'), await ask('approver'), await ask('nobody')];
    expect(new Set(answers).size).toBe(1);
    await deliver();
    const mails = await parsed();
    expect(mails.map((m) => m.envelope.join())).toEqual(['counsel@test.example']);
    const token = /\/welcome#(\S+)/.exec(mails[0]!.text!)![1]!;
    expect(mails[0]!.text).toContain('127.0.0.1');
    const accept = () => statusOf(new Client(world.base, '').call(people.accept, { body: { token, password: 'a new one, long enough' } }));
    expect([await accept(), await accept()]).toEqual([200, 404]);
    for (let i = 0; i < 5; i++) await ask('reader');
    expect(await ask('reader')).toContain('429');
    await writeMailSetting(world.pool, { on: false, publicUrl: '' });
    expect(await ask('keeper')).toBe(answers[0]!);
  });

  it('is looked after by whoever sets up', async () => {
    await admin().call(people.mailTest);
    await deliver();
    expect((await parsed()).map((m) => m.subject)).toEqual(['A mail from Test, to try it']);
    for (const login of ['deputy', 'auditor', 'reader'] as const) {
      expect(await statusOf(world.as(login).call(people.mail)))
        .withContext(login)
        .toBe(403);
      expect(await statusOf(world.as(login).call(people.mailTest)))
        .withContext(login)
        .toBe(403);
    }
    await writeMailSetting(world.pool, { on: false, publicUrl: '' });
    expect(await problemOf(admin().call(people.mailTest))).toContain('No mail leaves here');
    expect(await statusOf(world.as('reader').call(reports.today))).toBe(200);
  });
});

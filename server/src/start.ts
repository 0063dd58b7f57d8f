import { join } from 'node:path';
import type { Worker } from 'node:worker_threads';
import { pino, type Logger } from 'pino';
import { type Config, type MailConfig, type StandInName, listen, programActor, startThread, stopListening } from './kernel/index.js';
import { sweepDaily } from './docket/index.js';
import { makeApp } from './http/app.js';
import { enterUndelivered, forgetEnded, readSettings, sendDigests } from './identity/index.js';
import { openMailer, openReturnAddresses, openReturns, writeMailSetting } from './mail/index.js';
import { openSealer } from './ledger/index.js';
import { foldRack } from './plan/index.js';
import { knowsObjects, reconcileDaily } from './records/index.js';
import { sendHeadLetters } from './reports/index.js';
import { tendReviews } from './reviews/index.js';
import { foldRuleUse } from './schedule/index.js';
import { closeConnections, openServices, outsideOf, type Reachable, type Services } from './services.js';
import { startArchive } from './standins/archive.js';
import { startIdentityProvider, type IdentityProvider } from './standins/identityProvider.js';
import type { StandIn } from './standins/listen.js';
import { startMailServer, type MailServer } from './standins/mailServer.js';
import { startObjects } from './standins/objects.js';
import { startTimeAuthority } from './standins/timeAuthority.js';
import { startWitness } from './standins/witness.js';

const connections = 12;
const sealEveryMs = 2000;
const foldEveryMs = 20_000;
const lookAtDayEveryMs = 60_000;
const restartAfterMs = 1000;
/** How long a server that stops waits for requests under way. */
const graceMs = 10_000;

export interface Running {
  readonly services: Services;
  /** The simulated provider of identities, if there is one. */
  readonly identityProvider: IdentityProvider | null;
  stop(): Promise<void>;
}

/** Runs jobs in a thread of their own. One that dies is started again, and takes up what was running. */
function startJobThread(config: Reachable, log: Logger): { stop(): Promise<void> } {
  let stopping = false;
  let again: NodeJS.Timeout | undefined;
  let exited: Promise<void>;
  let thread: Worker;
  const start = (): void => {
    thread = startThread('jobThread', { workerData: config });
    thread.on('error', (error) => log.error({ err: error }, 'job thread'));
    exited = new Promise((resolve) => {
      thread.once('exit', (code) => {
        if (!stopping) {
          log.error({ code }, 'the job thread ended; it is started again');
          again = setTimeout(start, restartAfterMs);
        }
        resolve();
      });
    });
  };
  start();
  return {
    async stop() {
      stopping = true;
      clearTimeout(again);
      thread.postMessage('stop');
      await exited;
    },
  };
}

const standInMail = (url: string): MailConfig => ({
  ...{ url, user: null, password: null, authority: null, from: 'Key Cellar <key-cellar@stand-in.example>' },
  returns: { domain: 'returns.stand-in.example', host: '127.0.0.1', port: 0 },
});

/** Starts a stand-in for each outside service that has no address of its own. */
async function withStandIns(
  given: Config,
): Promise<{ config: Reachable; identityProvider: IdentityProvider | null; mailServer: MailServer | null; stopStandIns(): Promise<void> }> {
  const started: StandIn[] = [];
  const standIns: StandInName[] = [];
  const begun = async <T extends StandIn>(name: StandInName, standIn: Promise<T>): Promise<T> => {
    started.push(await standIn);
    standIns.push(name);
    return standIn;
  };
  const folder = (name: string): string => join(given.standInsDir, name);
  const archive = given.archiveUrl === null ? await begun('archive', startArchive(folder('archive'))) : null;
  const time = given.timeAuthorityUrl === null ? await begun('timeAuthority', startTimeAuthority(folder('time-office'))) : null;
  const objects = given.objects === 'stand-in' ? (await begun('objects', startObjects(folder('objects')))).reached : given.objects;
  const witness = given.witnessUrl === null ? await begun('witness', startWitness(folder('witness'))) : null;
  const mailServer = given.mail === 'stand-in' ? await begun('mail', startMailServer(folder('mail'))) : null;
  const mail = given.mail === 'stand-in' ? standInMail(mailServer!.url) : given.mail;
  const identityProvider =
    given.identityProvider === null ? null : await begun('identityProvider', startIdentityProvider(folder('identity-provider')));
  return {
    identityProvider,
    mailServer,
    config: {
      ...given,
      archiveUrl: archive?.url ?? given.archiveUrl!,
      archiveKey: archive?.key ?? given.archiveKey ?? '',
      timeAuthorityUrl: time?.url ?? given.timeAuthorityUrl!,
      timeAuthorityCertificates: time?.certificate ?? given.timeAuthorityCertificates ?? '',
      witnessUrl: witness?.url ?? given.witnessUrl!,
      witnessKey: witness?.key ?? given.witnessKey ?? '',
      objects,
      mail,
      standIns,
    },
    async stopStandIns() {
      await Promise.all(started.map((standIn) => standIn.stop()));
    },
  };
}

/** Under what name mails of this repository are told apart (RFC 5322 §3.6.4). */
const domainOf = ({ ledgerName, publicUrl }: Reachable): string =>
  `${ledgerName.replace(/[^A-Za-z0-9-]/g, '-')}.${new URL(publicUrl).hostname}`;

/** Lets mail leave, and takes in what comes back of it; says on which port, if anything does. */
async function startMailing(
  services: Services,
  log: Logger,
  config: Reachable,
  mail: MailConfig,
): Promise<{ readonly returnsAt: number | null; stop(): Promise<void> }> {
  const { pool } = services;
  const addresses = mail.returns && (await openReturnAddresses(pool, mail.returns.domain));
  const returns =
    mail.returns &&
    addresses &&
    (await openReturns(pool, log, { returns: mail.returns, addresses, came: enterUndelivered(services, 'a mail came back') }));
  const given = { config: mail, domain: domainOf(config), returns: addresses, refused: enterUndelivered(services, 'a mail was refused') };
  const mailer = openMailer(pool, log, given);
  return {
    returnsAt: returns?.port ?? null,
    async stop() {
      await mailer.stop();
      await returns?.stop();
    },
  };
}

/** Everything but the listener: services over one database, with background work going. */
export async function startServices(given: Config, log: Logger = pino({ level: given.logLevel })): Promise<Running> {
  const { config, identityProvider, mailServer, stopStandIns } = await withStandIns(given);
  const services = await openServices(config, log, {
    connections,
    sealer: (pool) => openSealer(pool, log, outsideOf(config), sealEveryMs),
  });
  const { pool } = services;
  if (!services.objects && (await knowsObjects(pool)))
    log.error('contents or their copies lie in an object store, and OBJECTS_URL does not say where: they are not read, checked or removed');
  const jobThread = startJobThread(config, log);
  await writeMailSetting(pool, { on: config.mail !== null, publicUrl: config.publicUrl });
  const mailing = config.mail && (await startMailing(services, log, config, config.mail));
  if (mailing?.returnsAt) mailServer?.returnTo(mailing.returnsAt);

  // The first sweep is at the start: what came due while nobody was here is found at once.
  const daily = (): void => {
    readSettings(pool)
      .then(async ({ today }) => {
        await sweepDaily(services, programActor('sweep', today));
        await sendHeadLetters(services, programActor('ledger', today));
        await reconcileDaily(services, { today });
        await tendReviews(services, today);
        await sendDigests(services, today);
      })
      .catch((error: unknown) => log.warn({ err: error }, 'the work of the day failed; it is tried again'));
  };
  daily();
  const dayWatch = setInterval(daily, lookAtDayEveryMs);

  const housekeeping = setInterval(() => {
    Promise.all([foldRack(pool), foldRuleUse(pool), forgetEnded(pool)]).catch((error: unknown) =>
      log.warn({ err: error }, 'housekeeping failed; it is tried again'),
    );
  }, foldEveryMs);

  return {
    services,
    identityProvider,
    async stop() {
      services.stopping = true;
      clearInterval(housekeeping);
      clearInterval(dayWatch);
      await mailing?.stop();
      await Promise.all([jobThread.stop(), services.jobs.stop(), services.pages.stop(), services.reading.stop(), services.effects.stop()]);
      // A last seal, so that what was done before the stop is provable from the first moment of the next start.
      await services.sealer.sealNow().catch((error: unknown) => log.warn({ err: error }, 'last seal failed'));
      await services.sealer.stop();
      await stopStandIns();
      await closeConnections(services);
    },
  };
}

/** Does work with all services, while nobody is served. The services stop when it ends. */
export async function withServices<T>(config: Config, work: (services: Services, today: string) => Promise<T>): Promise<T> {
  const running = await startServices(config, pino({ level: 'error' }));
  try {
    return await work(running.services, (await readSettings(running.services.pool)).today);
  } finally {
    await running.stop();
  }
}

/** Serves the application; resolves once it listens. */
export async function startServer(config: Config, log?: Logger): Promise<Running & { port: number }> {
  const running = await startServices(config, log);
  const listening = await listen(makeApp(running.services), config).catch(async (error: unknown) => {
    await running.stop();
    throw error;
  });
  return {
    services: running.services,
    identityProvider: running.identityProvider,
    port: listening.port,
    stop: async () => {
      await stopListening(listening, graceMs);
      await running.stop();
    },
  };
}

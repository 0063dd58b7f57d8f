import type pg from 'pg';
import type { Logger } from 'pino';
import { accessBooks } from './access/index.js';
import type { Services } from './docket/index.js';
import { eventsOver, openJobs, openPool, programActor, tasksIn, type Config, type MailConfig, type ObjectsConfig } from './kernel/index.js';
import { readSettings } from './identity/index.js';
import type { Outside, Sealer } from './ledger/index.js';
import { answerersOver, listenersOver } from './listeners.js';
import { contentKeys, openContents, openObjects, pageDrawer, recogniser, setApart } from './records/index.js';
import { effectThreads, ruleBooks } from './schedule/index.js';

export type { Services };

/** A configuration in which every outside service has an address, be it a stand-in's. */
export type Reachable = Omit<Config, 'mail'> &
  Outside & {
    readonly mail: MailConfig | null;
    readonly archiveUrl: string;
    readonly archiveKey: string;
    readonly objects: ObjectsConfig | null;
  };

/** Only what the ledger needs of it: it goes to threads as well. */
export const outsideOf = ({
  witnessUrl,
  witnessKey,
  ledgerName,
  keysDir,
  timeAuthorityUrl,
  timeAuthorityCertificates,
}: Reachable): Outside => ({
  witnessUrl,
  witnessKey,
  ledgerName,
  keysDir,
  timeAuthorityUrl,
  timeAuthorityCertificates,
});

const uploadConnections = 8;
const countConnections = 2;

/** Opens connections and snapshots over one database; nothing works in the background yet but what `sealer` starts. */
export async function openServices(
  config: Reachable,
  log: Logger,
  given: { connections: number; sealer: (pool: pg.Pool) => Sealer },
): Promise<Services> {
  const pool = openPool(config.appUrl, given.connections);
  const countPool = openPool(config.appUrl, countConnections);
  const objects = config.objects && (await openObjects(config.objects));
  const services: Services = {
    config,
    log,
    pool,
    uploadPool: openPool(config.appUrl, uploadConnections),
    countPool,
    access: accessBooks(pool),
    rules: ruleBooks(countPool),
    jobs: await openJobs(config.appUrl, pool, log),
    events: eventsOver(
      listenersOver(() => services),
      answerersOver(() => services),
    ),
    archive: { url: config.archiveUrl, key: config.archiveKey },
    sealer: given.sealer(pool),
    outside: outsideOf(config),
    effects: effectThreads(),
    pages: pageDrawer(log, config.assetsDir),
    recogniser: recogniser(config.scanLanguages, log),
    objects,
    contents: openContents({
      keys: contentKeys(pool, config.keysDir),
      objects,
      contentsIn: config.contentsIn,
      pool,
      found(damage) {
        readSettings(pool)
          .then(({ today }) => setApart(services, programActor('fixity', today), damage))
          .catch((error: unknown) => log.error({ err: error }, 'damaged content could not be set apart'));
      },
    }),
    reading: tasksIn('readThread', { memoryMb: 512, log }),
    stopping: false,
  };
  return services;
}

/** The last thing of all: whoever still works on a connection is waited for. */
export async function closeConnections({ pool, uploadPool, countPool, contents }: Services): Promise<void> {
  await contents.close();
  await Promise.all([pool.end(), uploadPool.end(), countPool.end()]);
}

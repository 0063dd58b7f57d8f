import { pino } from 'pino';
import { ConfigWrong, migrate, MigrationRefused, readConfig } from './kernel/index.js';
import { startServer } from './start.js';

let log = pino();
try {
  const config = readConfig();
  log = pino({ level: config.logLevel });
  const done = await migrate(config);
  if (done.length > 0) log.info({ migrations: done }, 'database brought forward');
  const running = await startServer(config, log);
  log.info({ address: `http://${config.host}:${running.port}` }, 'listening');
  process.send?.({ listening: running.port });
  let ending = false;
  const end = (signal: string): void => {
    if (ending) return;
    ending = true;
    log.info({ signal }, 'shutting down');
    // Everything of ours has ended by then; what a library still holds open must not keep the process.
    running.stop().then(
      () => process.exit(0),
      (error: unknown) => {
        log.error({ err: error }, 'shutting down failed');
        process.exit(1);
      },
    );
  };
  process.on('SIGTERM', () => end('SIGTERM'));
  process.on('SIGINT', () => end('SIGINT'));
} catch (error) {
  const sentence =
    error instanceof MigrationRefused || error instanceof ConfigWrong
      ? error.message
      : (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
        ? `Port ${(error as { port?: number }).port} is taken by another program. Stop it, or choose another port: PORT=4190 npm start`
        : null;
  if (!sentence) log.error({ err: error }, 'the server did not start');
  // What had begun before it failed must not keep the process; the sentence is written first.
  process.stderr.write(sentence ? `${sentence}\n` : '', () => process.exit(1));
}

import { pino } from 'pino';
import { migrate, MigrationRefused, readConfig } from './kernel/index.js';
import { startServer } from './start.js';

const config = readConfig();
const log = pino({ level: config.logLevel });

try {
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
    error instanceof MigrationRefused
      ? error.message
      : (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
        ? `Port ${config.port} is taken by another program. Stop it, or choose another port: PORT=4190 npm start`
        : null;
  if (sentence) process.stderr.write(`${sentence}\n`);
  else log.error({ err: error }, 'the server did not start');
  process.exit(1);
}

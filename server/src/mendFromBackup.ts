import { pino } from 'pino';
import { readSettings } from './identity/index.js';
import { openPool, programActor, type Config } from './kernel/index.js';
import { mendFrom } from './records/index.js';
import { startServices } from './start.js';

/** Mends what is damaged from another database of the same repository, which is only read. */
export async function mendFromBackup(config: Config, otherUrl: string): Promise<{ damaged: number; mended: number }> {
  const running = await startServices(config, pino({ level: 'error' }));
  const other = openPool(otherUrl, 1);
  try {
    const { today } = await readSettings(running.services.pool);
    return await mendFrom(running.services, programActor('mend', today), other);
  } finally {
    await other.end();
    await running.stop();
  }
}

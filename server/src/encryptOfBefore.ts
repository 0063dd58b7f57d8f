import { pino } from 'pino';
import { readSettings } from './identity/index.js';
import { openPool, programActor, type Config } from './kernel/index.js';
import { encryptPlain } from './records/index.js';
import { startServices } from './start.js';

/** Encrypts contents that came in before contents were; may run beside the server, and again after it was interrupted. */
export async function encryptOfBefore(config: Config): Promise<{ encrypted: number; damaged: number }> {
  const running = await startServices(config, pino({ level: 'error' }));
  const owner = openPool(config.ownerUrl, 1);
  try {
    const { today } = await readSettings(owner);
    return await encryptPlain(running.services, programActor('encrypt', today), owner);
  } finally {
    await owner.end();
    await running.stop();
  }
}

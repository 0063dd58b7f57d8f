import { openPool, programActor, type Config } from './kernel/index.js';
import { encryptPlain } from './records/index.js';
import { withServices } from './start.js';

/** Encrypts contents that came in before contents were; may run beside the server, and again after it was interrupted. */
export function encryptOfBefore(config: Config): Promise<{ encrypted: number; damaged: number }> {
  return withServices(config, async (services, today) => {
    const owner = openPool(config.ownerUrl, 1);
    return encryptPlain(services, programActor('encrypt', today), owner).finally(() => owner.end());
  });
}

import { openPool, programActor, type Config } from './kernel/index.js';
import { mendFrom } from './records/index.js';
import { withServices } from './start.js';

/** Mends what is damaged from another database of the same repository, which is only read. */
export function mendFromBackup(config: Config, otherUrl: string): Promise<{ damaged: number; mended: number }> {
  return withServices(config, async (services, today) => {
    const other = openPool(otherUrl, 1);
    return mendFrom(services, programActor('mend', today), other).finally(() => other.end());
  });
}

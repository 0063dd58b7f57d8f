// npm run encrypt: puts contents under keys that came into the repository at DATABASE_URL before contents were encrypted.
import { encryptOfBefore, readConfig } from '../server/src/index.js';

const { encrypted, damaged } = await encryptOfBefore(readConfig());
const rest = damaged === 0 ? '' : ` ${damaged} are damaged and stayed as they are: mend them, then run this again.`;
process.stdout.write(
  encrypted + damaged === 0 ? 'Every content is encrypted already.\n' : `${encrypted} contents are encrypted now.${rest}\n`,
);
process.exitCode = damaged === 0 ? 0 : 1;

import { fileURLToPath } from 'node:url';
import { dirname, join } from 'node:path';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..', '..');
/** Where the private cluster and its logs live; another place can be named in KEY_CELLAR_DATA. */
export const dataDir = process.env.KEY_CELLAR_DATA ?? join(root, '.data');

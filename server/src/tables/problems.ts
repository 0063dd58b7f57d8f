import type { Message } from '@key-cellar/words';
import { Problem } from '../kernel/index.js';

export type TableFormat = 'csv' | 'xlsx' | 'json';

/** Something is wrong with a file that was brought as a table. */
export const wrongFile = (what: Message): Problem => new Problem(422, 'not-a-table', what);

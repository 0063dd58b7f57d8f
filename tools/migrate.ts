// Brings the database at DATABASE_URL forward, and does nothing else. `--again` puts guards and owners back that somebody changed since.
import { migrate, readConfig } from '../server/src/index.js';

await migrate(readConfig(), { again: process.argv.includes('--again') });

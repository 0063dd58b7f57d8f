// Brings the database at DATABASE_URL forward, and does nothing else.
import { migrate, readConfig } from '../server/src/index.js';

await migrate(readConfig());

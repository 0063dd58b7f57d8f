// npm run mend -- --from postgres://…: mends damaged contents of the repository at DATABASE_URL from another database, such as a backup that
// was put back beside it. Nothing is written there, and nothing is taken that is not byte by byte what it was.
import { parseArgs } from 'node:util';
import { mendFromBackup, readConfig } from '../server/src/index.js';

const { values } = parseArgs({ options: { from: { type: 'string' } } });
if (values.from === undefined) {
  process.stderr.write('Say from which database: npm run mend -- --from postgres://…\n');
  process.exitCode = 2;
} else {
  const { damaged, mended } = await mendFromBackup(readConfig(), values.from);
  process.stdout.write(damaged === 0 ? 'Nothing is damaged.\n' : `${mended} of ${damaged} damaged contents are mended.\n`);
  process.exitCode = mended === damaged ? 0 : 1;
}

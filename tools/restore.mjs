// npm run restore -- --from FOLDER: puts a backup into a database that does not exist yet and into empty folders, and verifies it.
import { parseArgs } from 'node:util';
import { checkRestored, readConfig } from '../server/src/index.ts';
import { restoreBackup } from './lib/backup.mjs';
import { ownDatabase } from './lib/ownDatabase.mjs';
import { run, say, Stop } from './lib/say.mjs';

await run(async () => {
  const { values } = parseArgs({ options: { from: { type: 'string' } } });
  if (!values.from) throw new Stop('Say where from: npm run restore -- --from FOLDER');
  const { url, stop } = await ownDatabase();
  try {
    const config = readConfig({ ...process.env, DATABASE_URL: url });
    const { settings, madeAt } = await restoreBackup(config, values.from, say);
    say('Verifying it …');
    const report = await checkRestored(config);
    for (const line of report.said) say(line);
    const others = Object.entries(settings).filter(([name, value]) => process.env[name] !== value);
    if (others.length > 0) say(`It ran with: ${others.map(([name, value]) => `${name}=${value}`).join(' ')}`);
    if (!report.ok) throw new Stop('What was restored is not whole: the lines above say what is wrong.');
    say(`Restored as it was on ${madeAt}.`);
  } finally {
    await stop();
  }
});

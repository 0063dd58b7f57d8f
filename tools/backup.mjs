// npm run backup -- --to FOLDER: a consistent copy of the whole repository, while it runs. Checked after writing.
import { parseArgs } from 'node:util';
import { readConfig } from '../server/src/index.ts';
import { writeBackup } from './lib/backup.mjs';
import { ownDatabase } from './lib/ownDatabase.mjs';
import { run, say, Stop } from './lib/say.mjs';

await run(async () => {
  const { values } = parseArgs({ options: { to: { type: 'string' } } });
  if (!values.to) throw new Stop('Say where to: npm run backup -- --to FOLDER');
  const { url, stop } = await ownDatabase();
  try {
    const { records, head, files } = await writeBackup(readConfig({ ...process.env, DATABASE_URL: url }), values.to, say);
    const megabytes = files.reduce((sum, file) => sum + file.size, 0) / 1_000_000;
    say(`Written and checked: ${records} records, ${head ?? 0} sealed entries, ${megabytes.toFixed(1)} MB in ${values.to}.`);
    say('It holds the keys of all contents: keep it as safe as the repository itself, and no longer than KEY_BACKUP_DAYS says.');
  } finally {
    await stop();
  }
});

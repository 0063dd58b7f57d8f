import { inEnglish, migrate, type Config } from './kernel/index.js';
import { verifyLedger } from './ledger/index.js';
import { checkEveryContent } from './records/index.js';
import { withServices } from './start.js';

/**
 * Brings what was restored forward to this program, and verifies it: the whole ledger, against the witness where it can be reached, and every
 * content through its key. Gives sentences, and whether all of it is as it was.
 */
export async function checkRestored(config: Config): Promise<{ ok: boolean; said: string[] }> {
  await migrate(config);
  return withServices(config, async (services) => {
    const said: string[] = [];
    let ok = true;
    for await (const line of verifyLedger(services.pool, services.outside)) {
      if (!('report' in line)) continue;
      ok = line.report.ok;
      const { sentence, findings, unchecked } = line.report;
      for (const one of [sentence, ...findings.map((finding) => finding.sentence), ...unchecked]) said.push(inEnglish(one));
    }
    const { contents, damaged } = await checkEveryContent(services);
    said.push(
      damaged === 0
        ? `All ${contents} contents are what they were.`
        : `${damaged} of ${contents} contents are damaged, or destroyed since the backup.`,
    );
    return { ok: ok && damaged === 0, said };
  });
}

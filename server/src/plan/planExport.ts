import { message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import type { SignedIn } from '../kernel/index.js';
import { document } from '../print/index.js';
import type { Services } from '../kernel/index.js';
import { planOf } from './planOf.js';

export interface PlanFile {
  readonly bytes: Buffer;
  readonly type: string;
  readonly name: string;
}

const inset: Record<string, number> = { function: 0, activity: 12, series: 24, folder: 40 };

async function toPrint(services: Services, person: SignedIn, speaker: Speaker): Promise<Buffer> {
  const { places, rules } = await planOf(services, person);
  const { repository } = person;
  const on = { day: person.today };
  const { say } = speaker;
  const about = {
    title: say(message('print.planOf', { repository })),
    author: repository,
    foot: say(message('print.planOn', { on })),
    fontsDir: services.config.assetsDir,
    speaker,
  };
  return document(about, ({ write, rule, space }) => {
    write(repository, { soft: true });
    write(say(message('print.plan')), { bold: true, size: 20, gap: 8 });
    write(say(message('print.asItStood', { on, n: places.filter((p) => p.kind === 'series').length })), { size: 11, gap: 6 });
    for (const p of places) {
      if (p.kind === 'repository') continue;
      const indent = inset[p.kind]! + (p.kind === 'folder' ? Math.max(0, p.ancestors.length - 5) * 12 : 0);
      if (p.kind === 'function') rule();
      const set = rules.get(p.id) ?? [];
      const heading = `${p.code}  ${p.title}`;
      const ended = p.retired_on ?? p.closed_on;
      write(ended ? say(message('print.ended', { heading, how: p.retired_on ? 'retired' : 'closed', on: { day: ended } })) : heading, {
        bold: p.kind !== 'folder',
        size: p.kind === 'function' ? 13 : p.kind === 'folder' ? 9 : 10,
        indent,
        gap: 3,
      });
      const more = { size: 9, indent: indent + 12, gap: 3 };
      if (set.length > 0) write(say(message('print.rules', { rules: { list: set } })), { ...more, soft: true });
      if (p.note) write(p.note, more);
      if (p.not_here) write(say(message('print.notHere', { what: p.not_here })), more);
      if (p.kind === 'series') space(2);
    }
  });
}

/** The plan to print: what the person may discover of it. */
export async function printedPlan(services: Services, person: SignedIn, speaker: Speaker): Promise<PlanFile> {
  return { bytes: await toPrint(services, person, speaker), type: 'application/pdf', name: 'file-plan.pdf' };
}

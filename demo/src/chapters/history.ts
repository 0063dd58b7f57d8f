import { createHash } from 'node:crypto';
import { entryBody, run, type Act, type UnitOfWork } from '@key-cellar/server';
import { people } from '../people.js';
import type { DemoRecord } from '../records.js';
import { inParts, type Loaded } from './scene.js';
import type { WithFile } from './records.js';

/** The trail of the years before the demo begins, as it would have been written. */
export async function addHistory(
  uow: UnitOfWork,
  loaded: Omit<Loaded, 'services'>,
  records: readonly DemoRecord[],
  files: readonly WithFile[],
): Promise<void> {
  const shas = new Map(files.map((f) => [f.record.id, f]));
  const history: { at: string; login: string; act: Act }[] = [];
  for (const r of records) {
    const subject = { kind: 'record', id: r.id, name: `${r.number} ${r.title}` };
    const file = shas.get(r.id);
    history.push({
      at: `${r.filedOn}T09:30:00.000000Z`,
      login: r.owner,
      act: {
        act: r.physical ? 'described a physical item' : 'filed',
        subject,
        after: {
          place: r.seriesCode,
          recordType: r.type,
          createdOn: r.createdOn,
          facts: r.facts,
          ...(file ? { sha256: createHash('sha256').update(file.file.bytes).digest('hex') } : {}),
        },
      },
    });
    if (r.declaredOn) {
      history.push({
        at: `${r.declaredOn}T16:00:00.000000Z`,
        login: 'ines',
        act: { act: 'declared', subject, after: { state: 'declared', on: r.declaredOn } },
      });
    }
  }
  history.sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
  await inParts(history, (part) =>
    run(
      uow,
      'demo.history',
      `insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body)
       select * from unnest($1::timestamptz[], $2::uuid[], $3::text[], $4::text[], $5::uuid[], $6::text[])`,
      [
        part.map((h) => h.at),
        part.map((h) => loaded.personId.get(h.login)),
        part.map((h) => h.act.act),
        part.map((h) => h.act.subject.kind),
        part.map((h) => h.act.subject.id),
        part.map((h) => {
          const person = people.find((p) => p.login === h.login)!;
          return entryBody({ id: loaded.personId.get(h.login)!, name: person.name, from: 'demo', today: h.at.slice(0, 10) }, h.at, h.act);
        }),
      ],
    ),
  );
}

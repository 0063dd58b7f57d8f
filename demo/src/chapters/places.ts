import { getOrMakeSet, run, type UnitOfWork } from '@key-cellar/server';
import { functions } from '../plan.js';
import { seeded } from '../random.js';
import type { DemoFolder } from '../records.js';
import { begin } from './scene.js';
import type { Entities } from './records.js';

/** Inquiry files are confidential; what people work with daily freezes in all parts, agreements declare themselves. */
const markings: Readonly<Record<string, { level: number; caveats: string[] }>> = {
  'SAF-01': { level: 2, caveats: ['inquiry'] },
  'PEO-05': { level: 2, caveats: ['people'] },
};

export async function addPlaces(
  uow: UnitOfWork,
  folders: readonly DemoFolder[],
): Promise<{ placeId: Map<string, string>; rootId: string }> {
  const random = seeded(2);
  const rootId = random.id();
  const placeId = new Map<string, string>();
  const ancestorsOf = new Map<string, string[]>();
  const add = async (
    id: string,
    kind: string,
    parent: string | null,
    code: string,
    title: string,
    position: number,
    more: {
      openedOn?: string;
      closedOn?: string | null;
      jurisdictions?: readonly string[];
      setCode?: string;
      declareOn?: string;
      standAlone?: boolean;
    } = {},
  ): Promise<void> => {
    const ancestors = [...(parent ? ancestorsOf.get(parent)! : []), id];
    ancestorsOf.set(id, ancestors);
    const marking = markings[more.setCode ?? code] ?? { level: 0, caveats: [] };
    await run(
      uow,
      'demo.place',
      `insert into place (id, kind, parent_id, ancestors, code, title, position, access_set_id, opened_on, closed_on, jurisdictions, declare_on, stand_alone, marking_level, marking_caveats)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
      [
        id,
        kind,
        parent,
        ancestors,
        code,
        title,
        position,
        await getOrMakeSet(uow, { anchorPlace: kind === 'folder' ? parent! : id, recordId: null, ...marking, tags: [] }),
        more.openedOn ?? begin,
        more.closedOn ?? null,
        more.jurisdictions ?? [],
        more.declareOn ?? null,
        more.standAlone ?? false,
        marking.level,
        marking.caveats,
      ],
    );
  };
  await add(rootId, 'repository', null, 'ALL', 'Marrowick Harbour Authority', 0);
  for (const [i, fn] of functions.entries()) {
    const fnId = random.id();
    placeId.set(fn.code, fnId);
    await add(fnId, 'function', rootId, fn.code, fn.title, i, {
      standAlone: fn.code === 'PEO',
      jurisdictions: fn.code === 'ENV' ? ['Tarrin Sound'] : [],
    });
    for (const [j, activity] of fn.activities.entries()) {
      const activityId = random.id();
      placeId.set(activity.code, activityId);
      await add(activityId, 'activity', fnId, activity.code, activity.title, j);
      for (const [k, series] of [...activity.series].sort((a, b) => (a.code < b.code ? -1 : 1)).entries()) {
        const seriesId = random.id();
        placeId.set(series.code, seriesId);
        await add(seriesId, 'series', activityId, series.code, series.title, k, {
          declareOn: series.code === 'GOV-05' ? 'filing' : undefined,
        });
        for (const [l, folder] of folders.filter((f) => f.seriesCode === series.code).entries()) {
          await add(folder.id, 'folder', seriesId, folder.code, folder.title, l, { ...folder, setCode: series.code });
        }
      }
    }
  }
  return { placeId, rootId };
}

/** Folders of leases say whose they are: what is filed in them says so too. */
export async function addFolderFacts(uow: UnitOfWork, folders: readonly DemoFolder[], { idOf }: Entities): Promise<void> {
  for (const folder of folders.filter((f) => f.seriesCode === 'BER-01')) {
    const [berth, tenant] = folder.title.split(', ');
    const party = idOf.get(tenant ?? '');
    const facts = { berth, ...(party ? { tenant: party } : {}) };
    await run(uow, 'demo.folderFacts', 'update place set facts = $2 where id = $1', [folder.id, JSON.stringify(facts)]);
  }
  await run(uow, 'demo.takes', `update place set takes = $1 where code = 'GOV-01'`, [
    JSON.stringify({ types: ['minutes', 'letter'], formats: ['pdf', 'docx', 'txt'], largest: 50_000_000 }),
  ]);
}

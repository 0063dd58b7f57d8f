import { createHash } from 'node:crypto';
import { civilDate, dateInZone } from '@key-cellar/core/calendar';
import type { RuleDefinition, StepAnswer } from '@key-cellar/contract';
import { emptyVocabulary, parseCriteria, type Criteria, type Vocabulary } from '@key-cellar/core/criteria';
import type { FactDefinition, Facts } from '@key-cellar/core/records';
import {
  acknowledge,
  addPrincipal,
  answer,
  answerTasks,
  applyStencil,
  changeStencil,
  changeType,
  decide,
  dueGroups,
  entryBody,
  execute,
  findDue,
  getOrMakeSet,
  hashPassword,
  loadRuleBook,
  openPool,
  openTasks,
  makeMatter,
  makeNumbering,
  lookForSigns,
  makeDetector,
  makeStencil,
  object,
  override,
  placeGrant,
  placeHold,
  programActor,
  propose,
  receive,
  recompute,
  recordWords,
  remind,
  row,
  rows,
  run,
  startServices,
  setPlaceNumbering,
  takeSteps,
  withUnitOfWork,
  writeSetting,
  type Act,
  type Config,
  type Services,
  type SignedIn,
  type UnitOfWork,
} from '@key-cellar/server';
import { richKinds, sampleFile, textFile, type SampleFile, type Subject } from './files/index.js';
import { demoPassword, groups, people, type GroupCode } from './people.js';
import { functions, recordTypes } from './plan.js';
import { seeded, type Random } from './random.js';
import { containers, demoToday, makeRecords, type DemoFolder, type DemoRecord } from './records.js';
import { jurisdictions, rules, rulesByCriteria, rulesForPairs, rulesOnPlaces, type DemoRule } from './rules.js';
import { detectors } from './detectors.js';
import { demoStencils } from './stencils.js';
import { voyageOn } from './tidebook.js';

const timeZone = 'Europe/Dublin';
const begin = '1998-01-01';

interface Loaded {
  readonly services: Services;
  readonly personId: ReadonlyMap<string, string>;
  readonly groupId: ReadonlyMap<GroupCode, string>;
  readonly placeId: ReadonlyMap<string, string>;
  readonly rootId: string;
}

const dayMs = 86_400_000;

/** Sets the repository's clock so that it is this day there now. */
async function setClock(services: Services, today: string): Promise<void> {
  const now = Date.now();
  const wanted = civilDate(today);
  const days = wanted - dateInZone(now, timeZone);
  // Summer time may hold there and not now: near midnight the clock would show the day beside.
  const offsetDays = days + wanted - dateInZone(now + days * dayMs, timeZone);
  await run(
    services.pool,
    'demo.clock',
    `insert into setting (name, value) values ('clock', $1) on conflict (name) do update set value = excluded.value`,
    [JSON.stringify({ demo: true, offsetDays })],
  );
}

/** A person as if signed in on a day. */
async function as(loaded: Loaded, login: string, today: string): Promise<SignedIn> {
  const demo = people.find((p) => p.login === login)!;
  const epoch = await row<{ value: number }>(loaded.services.pool, 'demo.epoch', `select value from epoch where name = 'access'`);
  return {
    id: loaded.personId.get(login)!,
    name: demo.name,
    login,
    from: 'demo',
    today,
    clearance: { level: demo.clearance, caveats: demo.caveats },
    accessEpoch: epoch!.value,
    demo: true,
    repository: 'Marrowick Harbour Authority',
    timeZone,
    sessionHash: Buffer.alloc(0),
  };
}

async function addPeople(uow: UnitOfWork): Promise<{ personId: Map<string, string>; groupId: Map<GroupCode, string> }> {
  const random = seeded(1);
  const personId = new Map<string, string>();
  const groupId = new Map<GroupCode, string>();
  for (const [code, name] of Object.entries(groups) as [GroupCode, string][]) {
    const id = random.id();
    groupId.set(code, id);
    await addPrincipal(uow, { id, kind: 'group', name });
  }
  for (const p of people) {
    const id = random.id();
    personId.set(p.login, id);
    await addPrincipal(uow, {
      id,
      kind: 'person',
      name: p.name,
      login: p.login,
      passwordHash: await hashPassword(demoPassword),
      email: `${p.login}@marrowick.example`,
      clearanceLevel: p.clearance,
      caveats: [...p.caveats],
      active: p.active ?? true,
    });
    for (const group of p.groups) {
      await run(uow, 'demo.membership', 'insert into membership (member_id, group_id) values ($1, $2)', [
        id,
        groupId.get(group as GroupCode),
      ]);
    }
  }
  return { personId, groupId };
}

/** Inquiry files are confidential; what people work with daily freezes in all parts, agreements declare themselves. */
const markings: Readonly<Record<string, { level: number; caveats: string[] }>> = {
  'SAF-01': { level: 2, caveats: ['inquiry'] },
  'PEO-05': { level: 2, caveats: ['people'] },
};

async function addPlaces(uow: UnitOfWork, folders: readonly DemoFolder[]): Promise<{ placeId: Map<string, string>; rootId: string }> {
  const random = seeded(2);
  const rootId = random.id();
  const placeId = new Map<string, string>();
  const ancestorsOf = new Map<string, string[]>();
  const setFor = async (code: string): Promise<number> => {
    const marking = markings[code] ?? { level: 0, caveats: [] };
    return getOrMakeSet(uow, { anchorPlace: rootId, recordId: null, ...marking });
  };
  const add = async (
    id: string, kind: string, parent: string | null, code: string, title: string, position: number,
    more: { openedOn?: string; closedOn?: string | null; jurisdictions?: readonly string[]; setCode?: string; declareOn?: string; standAlone?: boolean } = {},
  ): Promise<void> => {
    const ancestors = [...(parent ? ancestorsOf.get(parent)! : []), id];
    ancestorsOf.set(id, ancestors);
    const marking = markings[more.setCode ?? code] ?? { level: 0, caveats: [] };
    await run(
      uow,
      'demo.place',
      `insert into place (id, kind, parent_id, ancestors, code, title, position, access_set_id, opened_on, closed_on, jurisdictions, declare_on, stand_alone, marking_level, marking_caveats)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
      [id, kind, parent, ancestors, code, title, position, await setFor(more.setCode ?? code), more.openedOn ?? begin, more.closedOn ?? null,
        more.jurisdictions ?? [], more.declareOn ?? null, more.standAlone ?? false, marking.level, marking.caveats],
    );
  }; // prettier-ignore
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

async function addGrants(uow: UnitOfWork, loaded: Omit<Loaded, 'services'>): Promise<void> {
  const { groupId, personId, placeId, rootId } = loaded;
  const grants: [string, string, string, string, { until?: string }?][] = [
    [groupId.get('keepers')!, rootId, 'keeper', 'records office'],
    [personId.get('ines')!, rootId, 'administrator', 'records manager'],
    [groupId.get('counsel')!, rootId, 'counsel', 'counsel of the Authority'],
    [personId.get('odile')!, rootId, 'auditor', 'audit plan 2026'],
    [groupId.get('staff')!, rootId, 'reader', 'everybody reads what is not set apart'],
    [personId.get('dario')!, rootId, 'approver', 'approves disposals'],
    [personId.get('dario')!, placeId.get('HAR')!, 'editor', 'harbour master'],
    [personId.get('dario')!, placeId.get('SAF')!, 'editor', 'harbour master'],
    [groupId.get('pilots')!, placeId.get('PIL')!, 'editor', 'pilotage'],
    [personId.get('lune')!, placeId.get('PIL')!, 'steward', 'head of pilotage'],
    [groupId.get('works')!, placeId.get('BER')!, 'editor', 'works'],
    [groupId.get('works')!, placeId.get('DRG')!, 'editor', 'works'],
    [groupId.get('works')!, placeId.get('ENV')!, 'editor', 'works'],
    [groupId.get('finance')!, placeId.get('FIN')!, 'editor', 'finance'],
    [groupId.get('people')!, placeId.get('PEO')!, 'editor', 'people and pay'],
    [groupId.get('keepers')!, placeId.get('PEO')!, 'keeper', 'records office'],
    [personId.get('sunniva')!, placeId.get('HAR')!, 'depositor', 'gate papers'],
    [personId.get('petra')!, placeId.get('FIN-02')!, 'borrower', 'works audit', { until: '2026-09-17' }],
  ];
  for (const [principalId, place, profile, reason, more] of grants) {
    await placeGrant(uow, { principalId, placeId: place, profile, reason, ...more });
  }
}

function versionsOf(rule: DemoRule): { definition: RuleDefinition; inForceFrom: string; takesOver: 'all' | 'laterClocks' }[] {
  return [
    ...(rule.before ?? []).map((b) => ({
      definition: { ...rule.definition, ...b.definition },
      inForceFrom: b.inForceFrom,
      takesOver: b.takesOver ?? ('all' as const),
    })),
    { definition: rule.definition, inForceFrom: rule.inForceFrom ?? '2003-01-01', takesOver: rule.takesOver ?? 'all' },
  ];
}

async function addSchedule(
  uow: UnitOfWork,
  personId: ReadonlyMap<string, string>,
  placeId: ReadonlyMap<string, string>,
  folders: readonly DemoFolder[],
): Promise<void> {
  const random = seeded(3);
  const ines = personId.get('ines')!;
  for (const [code, type] of Object.entries(recordTypes)) {
    await run(uow, 'demo.type', 'insert into record_type (code, title, facts) values ($1, $2, $3)', [
      code,
      type.title,
      JSON.stringify(type.facts),
    ]);
    await run(
      uow,
      'demo.typeVersion',
      'insert into record_type_version (code, version, title, facts, published_by, published_at) values ($1, 1, $2, $3, $4, $5)',
      [code, type.title, JSON.stringify(type.facts), ines, `${begin}T09:00:00Z`],
    );
  }
  for (const [i, [name, partOf]] of jurisdictions.entries()) {
    await run(uow, 'demo.jurisdiction', 'insert into jurisdiction (name, part_of, position) values ($1, $2, $3)', [name, partOf, i]);
  }
  const ruleIds = new Map<string, string>();
  for (const rule of rules) {
    const ruleId = random.id();
    ruleIds.set(rule.code, ruleId);
    await run(uow, 'demo.rule', 'insert into rule (id, code, draft, draft_by, draft_at) values ($1, $2, $3, $4, $5)', [
      ruleId,
      rule.code,
      ...(rule.draft
        ? [JSON.stringify({ ...rule.definition, ...rule.draft }), personId.get('tomas')!, '2026-09-10T14:20:00Z']
        : [null, null, null]),
    ]);
    for (const [i, version] of versionsOf(rule).entries()) {
      await run(
        uow,
        'demo.ruleVersion',
        `insert into rule_version (id, rule_id, version, definition, in_force_from, takes_over, published_by, published_at) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
        [
          random.id(),
          ruleId,
          i + 1,
          JSON.stringify(version.definition),
          version.inForceFrom,
          version.takesOver,
          ines,
          `${version.inForceFrom}T09:00:00Z`,
        ],
      );
    }
    for (const series of functions.flatMap((f) => f.activities.flatMap((a) => a.series))) {
      if (series.rules.includes(rule.code)) {
        await setRuleOn(uow, placeId.get(series.code)!, ruleId);
      }
    }
  }
  for (const { rule, node, folder } of rulesOnPlaces) {
    const inside = folder && folders.find((f) => f.seriesCode === folder[0] && f.code === folder[1]);
    await setRuleOn(uow, inside?.id ?? placeId.get(node!)!, ruleIds.get(rule)!);
  }
  for (const { rule, recordType, series } of rulesForPairs) {
    await run(uow, 'demo.pairRule', 'insert into pair_rule (record_type, series_id, rule_id) values ($1, $2, $3)', [
      recordType,
      placeId.get(series),
      ruleIds.get(rule),
    ]);
  }
  const vocabulary: Vocabulary = {
    ...emptyVocabulary,
    recordTypes: Object.entries(recordTypes).map(([code, type]) => ({ id: code, name: type.title })),
    facts: Object.values(recordTypes).flatMap((type): readonly FactDefinition[] => type.facts),
    places: [...placeId].map(([code, id]) => ({ id, name: code })),
  };
  for (const [i, { rule, criteria, note }] of rulesByCriteria.entries()) {
    const parsed = parseCriteria(criteria, vocabulary);
    if (!parsed.ok) throw new Error(`${criteria}: ${parsed.error.sentence}`);
    await run(uow, 'demo.criteriaRule', 'insert into criteria_rule (id, rule_id, criteria, note, position) values ($1, $2, $3, $4, $5)', [
      random.id(),
      ruleIds.get(rule),
      JSON.stringify(parsed.criteria),
      note,
      i + 1,
    ]);
  }
}

async function setRuleOn(uow: UnitOfWork, placeId: string, ruleId: string): Promise<void> {
  await run(uow, 'demo.placeRule', 'insert into place_rule (place_id, rule_id) values ($1, $2)', [placeId, ruleId]);
}

/** Parties and business objects that records name, and how each fact is stored: by their ids. */
interface Entities {
  readonly idOf: ReadonlyMap<string, string>;
  stored(type: keyof typeof recordTypes, facts: Facts): { facts: Facts; refers: string[] };
}

async function addEntities(uow: UnitOfWork, records: readonly DemoRecord[]): Promise<Entities> {
  const random = seeded(6);
  const pointing = (type: keyof typeof recordTypes) => recordTypes[type].facts.filter((f) => f.kind === 'party' || f.kind === 'object');
  const idOf = new Map<string, string>();
  for (const record of records) {
    for (const { code, kind } of pointing(record.type)) {
      const name = record.facts[code];
      if (typeof name !== 'string' || idOf.has(name)) continue;
      const id = random.id();
      idOf.set(name, id);
      await run(uow, 'demo.entity', 'insert into entity (id, kind, name, code) values ($1, $2, $3, $4)', [
        id,
        kind,
        name,
        kind === 'party' ? `C-${String(idOf.size).padStart(4, '0')}` : '',
      ]);
    }
  }
  return {
    idOf,
    stored(type, facts) {
      const own = pointing(type).flatMap(({ code }) => {
        const id = idOf.get(String(facts[code]));
        return id === undefined ? [] : [[code, id] as const];
      });
      return { facts: { ...facts, ...Object.fromEntries(own) }, refers: own.map(([, id]) => id) };
    },
  };
}

/** Folders of leases say whose they are: what is filed in them says so too. */
async function addFolderFacts(uow: UnitOfWork, folders: readonly DemoFolder[], { idOf }: Entities): Promise<void> {
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

async function addEvents(uow: UnitOfWork, folders: readonly DemoFolder[], by: string): Promise<void> {
  const random = seeded(4);
  for (const folder of folders) {
    for (const event of folder.events) {
      await run(
        uow,
        'demo.event',
        'insert into event (id, type, happened_on, place_id, recorded_by, recorded_at) values ($1, $2, $3, $4, $5, $6)',
        [random.id(), event.type, event.on, folder.id, by, `${event.on}T10:00:00Z`],
      );
    }
  }
}

interface WithFile {
  readonly record: DemoRecord;
  readonly file: SampleFile;
  readonly contentId: string;
  readonly no: number;
}

function subjectOf(record: DemoRecord): Subject {
  const owner = people.find((p) => p.login === record.owner)!;
  return {
    title: record.title,
    number: record.number,
    type: record.type,
    createdOn: record.createdOn,
    facts: record.facts,
    author: owner.name,
  };
}

/** About sixty records have files of every kind, the others a text of their own; some have several versions. */
async function makeFiles(records: readonly DemoRecord[]): Promise<WithFile[]> {
  const ids = seeded(5);
  const electronic = records.filter((r) => !r.physical);
  const every = Math.floor(electronic.length / 56);
  const making: Promise<WithFile>[] = [];
  let rich = 0;
  for (const [i, record] of electronic.entries()) {
    // Each file has its own seed, so that they can be made side by side.
    const make = (no: number, file: (random: Random) => SampleFile | Promise<SampleFile>): void => {
      const contentId = ids.id();
      making.push(Promise.resolve(file(seeded(i * 10 + no))).then((made) => ({ record, file: made, contentId, no })));
    };
    const isRich = i % every === 7 || (record.seriesCode === 'PIL-03' && record.folder?.code === 'Q-19');
    if (!isRich) {
      make(1, (random) => textFile(subjectOf(record), random));
      continue;
    }
    const kind = record.seriesCode === 'PIL-03' ? 'pdf' : richKinds[rich % richKinds.length]!;
    rich += 1;
    make(1, (random) => sampleFile(kind, subjectOf(record), random));
    if (rich % 5 === 0) make(2, (random) => sampleFile(kind, subjectOf(record), random));
  }
  return Promise.all(making);
}

const perInsert = 400;

async function inParts<T>(items: readonly T[], work: (part: T[]) => Promise<unknown>): Promise<void> {
  for (let i = 0; i < items.length; i += perInsert) await work(items.slice(i, i + perInsert));
}

async function addRecords(
  uow: UnitOfWork,
  loaded: Omit<Loaded, 'services'>,
  records: readonly DemoRecord[],
  files: readonly WithFile[],
  entities: Entities,
): Promise<void> {
  const { placeId, personId } = loaded;
  const containerIds = containers.map((_, i) => `00000000-0000-8000-a000-0000000c${String(i).padStart(4, '0')}`);
  for (const [i, c] of containers.entries()) {
    await run(uow, 'demo.container', 'insert into container (id, code, title, home, location) values ($1, $2, $3, $4, $4)', [
      containerIds[i],
      c.code,
      c.title,
      c.place,
    ]);
  }
  const places = await rows<{ id: string; ancestors: string[]; access_set_id: number }>(
    uow,
    'demo.places',
    'select id, ancestors, access_set_id from place',
  );
  const placeById = new Map(places.map((p) => [p.id, p]));
  const newest = new Map<string, WithFile>();
  for (const f of files) newest.set(f.record.id, f);
  await inParts(records, (part) =>
    run(
      uow,
      'demo.records',
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
         superseded_on, facts, gaps, search, access_set_id, owner_id, deposited_by, container_id, jurisdictions, version_no, size, media_type, last_used_on, refers)
       select id, number, title, medium, record_type, place_id, series_id, string_to_array(places, ' ')::uuid[], created_on, filed_on, filed_on, filed_on,
         superseded_on, facts::jsonb, gaps, array_to_tsvector(string_to_array(words, ' ')), access_set_id, owner_id, owner_id, container_id,
         case when jurisdictions = '' then '{}' else string_to_array(jurisdictions, ' ') end, version_no, size, media_type, filed_on, string_to_array(refers, ' ')::uuid[]
       from unnest($1::uuid[], $2::text[], $3::text[], $4::text[], $5::text[], $6::uuid[], $7::uuid[], $8::text[], $9::date[], $10::date[],
         $11::date[], $12::text[], $13::smallint[], $14::text[], $15::int[], $16::uuid[], $17::uuid[], $18::text[], $19::int[], $20::bigint[], $21::text[], $22::text[])
       as r (id, number, title, medium, record_type, place_id, series_id, places, created_on, filed_on, superseded_on, facts, gaps, words,
         access_set_id, owner_id, container_id, jurisdictions, version_no, size, media_type, refers)`,
      ((): unknown[] => {
        const seriesOf = (r: DemoRecord): string => placeId.get(r.seriesCode)!;
        const at = (r: DemoRecord) => placeById.get(r.folder?.id ?? seriesOf(r))!;
        return [
          part.map((r) => r.id),
          part.map((r) => r.number),
          part.map((r) => r.title),
          part.map((r) => (r.physical ? 'physical' : 'electronic')),
          part.map((r) => r.type),
          part.map((r) => at(r).id),
          part.map(seriesOf),
          part.map((r) => at(r).ancestors.join(' ')),
          part.map((r) => r.createdOn),
          part.map((r) => r.filedOn),
          part.map((r) => r.supersededOn),
          part.map((r) => JSON.stringify(entities.stored(r.type, r.facts).facts)),
          part.map((r) => r.gaps),
          part.map((r) => recordWords(r.title, r.number, r.facts).join(' ')),
          part.map((r) => at(r).access_set_id),
          part.map((r) => personId.get(r.owner)),
          part.map((r) => (r.container === null ? null : containerIds[r.container])),
          part.map((r) => r.jurisdictions.join(' ')),
          part.map((r) => newest.get(r.id)?.no ?? 0),
          part.map((r) => newest.get(r.id)?.file.bytes.length ?? 0),
          part.map((r) => newest.get(r.id)?.file.mediaType ?? null),
          part.map((r) => entities.stored(r.type, r.facts).refers.join(' ')),
        ];
      })(),
    ),
  );
  await run(
    uow,
    'demo.counters',
    `insert into numbering_counter (numbering_id, scope, last)
     select '00000000-0000-0000-0000-000000000000', series_id || ' ' || split_part(number, '/', 2), max(split_part(number, '/', 3)::int)
     from record group by 2`,
  );
  await inParts(files, async (part) => {
    await run(uow, 'demo.content', 'insert into content (id) select unnest($1::uuid[])', [part.map((f) => f.contentId)]);
    await run(
      uow,
      'demo.chunks',
      'insert into content_chunk (content_id, seq, bytes) select id, 0, bytes from unnest($1::uuid[], $2::bytea[]) as c (id, bytes)',
      [part.map((f) => f.contentId), part.map((f) => f.file.bytes)],
    );
    await run(
      uow,
      'demo.contentDone',
      `update content c set sha256 = f.sha256, size = f.size, media_type = f.media_type
       from unnest($1::uuid[], $2::bytea[], $3::bigint[], $4::text[]) as f (id, sha256, size, media_type) where c.id = f.id`,
      [
        part.map((f) => f.contentId),
        part.map((f) => createHash('sha256').update(f.file.bytes).digest()),
        part.map((f) => f.file.bytes.length),
        part.map((f) => f.file.mediaType),
      ],
    );
    await run(
      uow,
      'demo.versions',
      `insert into version (record_id, no, content_id, file_name, made_by, made_at)
       select * from unnest($1::uuid[], $2::int[], $3::uuid[], $4::text[], $5::uuid[], $6::timestamptz[])`,
      [
        part.map((f) => f.record.id),
        part.map((f) => f.no),
        part.map((f) => f.contentId),
        part.map(
          (f) =>
            `${f.record.title
              .replace(/[^\p{L}\p{N}]+/gu, ' ')
              .trim()
              .slice(0, 60)}.${f.file.ending}`,
        ),
        part.map((f) => personId.get(f.record.owner)),
        part.map((f) => `${f.record.filedOn}T1${f.no}:00:00Z`),
      ],
    );
  });
  await inParts(
    records.filter((r) => r.declaredOn !== null),
    (part) =>
      run(
        uow,
        'demo.declare',
        `update record r set state = 'declared', declared_on = d.on_, frozen = p.frozen_when_declared
         from unnest($1::uuid[], $2::date[]) as d (id, on_), place p where r.id = d.id and p.id = r.place_id`,
        [part.map((r) => r.id), part.map((r) => r.declaredOn)],
      ),
  );
}

/** The trail of the years before the demo begins, as it would have been written. */
async function addHistory(
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

const ottoline: Criteria = {
  op: 'and',
  of: [
    { op: 'words', text: 'Ottoline' },
    { op: 'between', field: 'created', from: '2012-01-01' },
  ],
};

async function proposeSeries(
  loaded: Loaded,
  login: string,
  today: string,
  seriesCode: string,
  announceIt: boolean,
  medium = 'electronic',
): Promise<string> {
  const person = await as(loaded, login, today);
  const group = (await dueGroups(loaded.services, person)).find((g) => g.seriesCode === seriesCode && g.medium === medium && g.mayPropose);
  if (!group) throw new Error(`Nothing of ${seriesCode} is due on ${today}`);
  const { id } = await propose(loaded.services, person, { groupKey: group.key, noticeDays: group.noticeDays, announce: announceIt });
  return id;
}

async function runBatch(loaded: Loaded, login: string, today: string, batchId: string): Promise<void> {
  const jobId = await execute(loaded.services, await as(loaded, login, today), batchId);
  await loaded.services.jobs.settled(jobId);
}

/** Two years of holds and batches, each act on its own day. */
async function addActs(loaded: Loaded): Promise<void> {
  const { services, personId } = loaded;
  const on = async (day: string, work: (person: (login: string) => Promise<SignedIn>) => Promise<unknown>): Promise<void> => {
    await setClock(services, day);
    await work((login) => as(loaded, login, day));
  };
  let inquiry = '';
  await on('2024-03-12', async (person) => {
    const hanne = await person('hanne');
    const matterId = await makeMatter(services, hanne, {
      code: 'I-2024-1',
      title: 'Grounding of the barge Ottoline',
      kind: 'inquiry',
      note: 'Inquiry of the Compact office into the grounding of 8 May 2019.',
    });
    const placed = await placeHold(services, hanne, {
      matterId,
      name: 'Ottoline inquiry',
      reason: 'The Compact office has opened an inquiry and asks that nothing on the barge be destroyed.',
      freeze: false,
      recordIds: [],
      criteria: ottoline,
      custodianIds: ['dario', 'lune', 'petra', 'bertil'].map((l) => personId.get(l)!),
    });
    inquiry = placed.id;
  });
  await on('2024-03-14', async (person) => {
    for (const login of ['dario', 'lune', 'bertil']) await acknowledge(services, await person(login), inquiry);
  });
  for (const day of ['2024-04-12', '2026-08-20']) await on(day, async (person) => remind(services, await person('hanne'), inquiry));

  let calibrations = '';
  await on('2026-05-04', async (person) => {
    await findDue(services, await person('ines'));
    calibrations = await proposeSeries(loaded, 'ines', '2026-05-04', 'ENV-04', true);
  });
  let returns = '';
  await on('2026-05-05', async () => {
    returns = await proposeSeries(loaded, 'tomas', '2026-05-05', 'DRG-06', true);
  });
  await on('2026-05-27', async (person) => {
    for (const login of ['tomas', 'dario']) await decide(services, await person(login), calibrations, { decision: 'approve', note: '' });
  });
  await on('2026-05-28', () => runBatch(loaded, 'ines', '2026-05-28', calibrations));

  // Spoil returns go to the archive of the sound: packed, sent, received, and only then removed here.
  await on('2026-06-08', async (person) => {
    for (const login of ['ines', 'dario']) await decide(services, await person(login), returns, { decision: 'approve', note: '' });
  });
  await on('2026-06-09', () => runBatch(loaded, 'tomas', '2026-06-09', returns));

  await on('2026-07-01', async (person) => {
    await findDue(services, await person('ines'));
    await proposeSeries(loaded, 'tomas', '2026-07-01', 'DRG-02', true);
  });
  await on('2026-07-10', async (person) => {
    const hanne = await person('hanne');
    const matterId = await makeMatter(services, hanne, {
      code: 'A-2026-1',
      title: 'Review of dredging contract 14',
      kind: 'audit',
      note: 'The auditors of the Compact look at contract 14 and what came before it.',
    });
    const listed = await rows<{ id: string }>(
      services.pool,
      'demo.contract14',
      `(select r.id from record r join place p on p.id = r.place_id where p.code = 'C-14' and r.state <> 'disposed')
       union all
       (select r.id from record r join place p on p.id = r.place_id where p.code = 'C-09' and r.state <> 'disposed' order by r.number limit 9)`,
    );
    await placeHold(services, hanne, {
      matterId,
      name: 'Dredging contract 14',
      reason: 'The auditors need the papers of contract 14 and the last ones of contract 9.',
      freeze: true,
      recordIds: listed.map((l) => l.id),
      custodianIds: [personId.get('petra')!],
    });
  });

  let logs = '';
  await on('2026-08-03', async () => {
    logs = await proposeSeries(loaded, 'ines', '2026-08-03', 'PIL-01', true, 'physical');
  });
  let invoices = '';
  await on('2026-08-10', async () => {
    invoices = await proposeSeries(loaded, 'ines', '2026-08-10', 'FIN-02', true);
  });
  await answerSome(loaded);
  await on('2026-08-20', async (person) => {
    for (const login of ['tomas', 'dario']) await decide(services, await person(login), logs, { decision: 'approve', note: '' });
    const first = await row<{ record_id: string }>(
      services.pool,
      'demo.firstItem',
      'select record_id from batch_item where batch_id = $1 order by record_id limit 1',
      [invoices],
    );
    await object(services, await person('kofi'), invoices, {
      recordId: first!.record_id,
      reason: 'The customer disputes this invoice; the file is with the court of Northshore.',
    });
  });
  await on('2026-08-21', () => runBatch(loaded, 'ines', '2026-08-21', logs));
  await on('2026-08-24', async (person) => {
    const open = await row<{ id: string }>(services.pool, 'demo.objection', 'select id from objection where answered_at is null limit 1');
    await answer(services, await person('ines'), open!.id, {
      keep: true,
      answer: 'It stays until the court has decided.',
      until: '2027-08-31',
    });
  });
  // What the rules would let go is kept longer by hand, and once sooner.
  await on('2026-08-27', async (person) => {
    const byTitle = (beginning: string) =>
      rows<{ id: string }>(
        services.pool,
        'demo.byTitle',
        `select r.id from record r where r.title like $1 || '%' and r.state = 'working' and r.docket = 'none' and r.hold_count = 0 order by r.number limit 2`,
        [beginning],
      );
    const set = async (beginning: string, dueOn: string, action: 'destroy' | 'transfer', reason: string): Promise<void> => {
      const ids = (await byTitle(beginning)).map((r) => r.id);
      await override(services, await person('ines'), { ids, override: { kind: 'date', dueOn, action }, reason, dryRun: false });
    };
    await set('Complaint of', '2041-01-01', 'transfer', 'The archive of the sound asked for complaints about the new quay.');
    await set('Fire drill', '2035-01-01', 'destroy', 'Insurers look at ten years of drills at these berths.');
    await set('School visit', '2026-12-31', 'destroy', 'Parents asked that the lists of children go this year.');
  });
  // From now on near misses are counted through the year, whatever their folder, and rosters through the month.
  await on('2026-08-31', async (person) => {
    const ines = await person('ines');
    const numberBy = async (code: string, title: string, pattern: string, per: ('series' | 'year' | 'month')[], gapless: boolean) => {
      const id = await makeNumbering(services, ines, { title, pattern, per, gapless });
      const [place] = await rows<{ id: string; code: string; title: string }>(services.pool, 'demo.placeByCode', 'select id, code, title from place where code = $1', [code]); // prettier-ignore
      await setPlaceNumbering(services, ines, place!, id);
    };
    await numberBy('PIL-03', 'Near misses through the year', 'NM-{year}-{nnn}', ['year'], true);
    await numberBy('PIL-06', 'Rosters by month', '{series}/{year}-{month}/{nn}', ['series', 'month'], false);
  });
  // Notices say from now on until when they hold; the older ones lack it.
  await on('2026-08-28', async (person) => {
    await changeType(services, await person('ines'), 'notice', {
      version: 1,
      title: 'Notice',
      facts: [
        ...recordTypes.notice.facts,
        {
          code: 'until',
          title: 'In force until',
          kind: 'date',
          required: true,
          help: 'The day on which it ends; a later notice may end it sooner.',
        },
        {
          code: 'channels',
          title: 'Made known by',
          kind: 'choice',
          required: false,
          many: true,
          choices: ['Board', 'Radio', 'Radio / Channel 12', 'Radio / Channel 16', 'Letter'],
        },
      ],
      dryRun: false,
    });
  });
  // The shelf; two staff files are made from the first version of theirs, and wait for what the second adds.
  await on('2026-08-29', async (person) => {
    const ines = await person('ines');
    const ruleIds = new Map(
      (await rows<{ id: string; code: string }>(services.pool, 'demo.ruleIds', 'select id, code from rule')).map((r) => [r.code, r.id]),
    );
    const shelf = demoStencils({
      person: (login) => personId.get(login)!,
      group: (code) => loaded.groupId.get(code as GroupCode)!,
      rule: (code) => ruleIds.get(code)!,
    });
    for (const { subject, title, note, versions } of shelf) {
      const [first, ...later] = versions;
      const id = await makeStencil(services, ines, { subject, title, note, definition: first! });
      if (title === 'Staff file') {
        const uses = ['Maren Tully', 'Osric Vane'].map((name) => ({ code: '', title: '', facts: { person: name } }));
        const made = await applyStencil(services, ines, id, { placeId: loaded.placeId.get('PEO-01')!, uses, dryRun: false });
        const refused = made.find((m) => m.outcome !== 'done');
        if (refused) throw new Error(refused.why);
      }
      for (const [i, definition] of later.entries()) {
        await changeStencil(services, ines, id, { subject, title, note, revision: i + 1, retired: false, definition });
      }
    }
  });
  await on('2026-08-31', async (person) => {
    const ines = await person('ines');
    for (const detector of detectors) await makeDetector(services, ines, detector);
  });
  await on('2026-09-02', async (person) => {
    await decide(services, await person('tomas'), invoices, { decision: 'approve', note: 'Checked against the ledger of 2015.' });
    await proposeSeries(loaded, 'ines', '2026-09-02', 'SAF-03', true);
  });
  await on('2026-09-11', async (person) => {
    await findDue(services, await person('tomas'));
    await proposeSeries(loaded, 'tomas', '2026-09-11', 'HAR-02', false);
  });
  await on(demoToday, async (person) => {
    await findDue(services, await person('ines'));
    await takeSteps(services, programActor('sweep', demoToday));
  });
}

/** What owners and keepers have said so far; the rest is asked again on the demo's first day. */
async function answerSome(loaded: Loaded): Promise<void> {
  const { services } = loaded;
  const day = '2026-08-14';
  await setClock(services, day);
  await takeSteps(services, programActor('sweep', day));
  const say = async (login: string, given: StepAnswer, take: number, note: string): Promise<void> => {
    const person = await as(loaded, login, day);
    const { tasks } = await openTasks(services, person, 'mine');
    const ids = tasks.slice(0, take).map((t) => t.id);
    if (ids.length > 0) await answerTasks(services, person, { ids, answer: given, note });
  };
  await say('lune', 'keep', 3, 'These pilots still sail with us.');
  await say('petra', 'notNeeded', 1, '');
  await say('tomas', 'goOn', 2, 'Nothing in these that the archive would want.');
}

/**
 * The records were all loaded before the holds were placed. Those filed later came to match later: only the owner of the
 * database can say so, which is what a loader is run as.
 */
async function spreadCovers(config: Config): Promise<void> {
  const owner = openPool(config.ownerUrl, 1);
  await owner.query(
    `update hold_cover c set since = r.filed_on + time '09:30', because = 'came to match its criteria'
     from record r, hold h where r.id = c.record_id and h.id = c.hold_id and h.criteria is not null and r.filed_on > c.since`,
  );
  await owner.end();
}

type Letter = [string, Parameters<typeof sampleFile>[0], Subject, string, string];

/** What Tidebook sent over the weekend: the papers of one voyage, which name each other by number. */
function tidebookLetters(base: Pick<Subject, 'number' | 'createdOn' | 'author'>): Letter[] {
  const v = voyageOn(base.createdOn);
  const from = { ...base, createdOn: v.day, author: 'Tidebook' };
  const paper = (title: string, order: string): Subject => ({ ...from, title: `${title}, ${v.vessel}`, type: 'order', facts: { vessel: v.vessel, order, call: v.call } }); // prettier-ignore
  return [
    [`${v.call} port call`, 'pdf', paper(`Port call ${v.call}`, v.call), 'Tidebook', 'lune'],
    [`${v.order} pilotage order`, 'pdf', paper(`Pilotage order ${v.order}`, v.order), 'Tidebook', 'lune'],
    [`${v.slip} service slip`, 'pdf', paper(`Service slip ${v.slip}`, v.slip), 'Tidebook', 'lune'],
  ];
}

/** Things that arrived and wait to be filed, two of them twice. */
async function addArrivals(loaded: Loaded): Promise<void> {
  const random = seeded(6);
  const base = { number: 'arrival', createdOn: '2026-09-09', author: 'Works mail-in' };
  const letters: Letter[] = [
    [
      'Mooring inspection Berth 6',
      'pdf',
      { ...base, title: 'Mooring inspection, Berth 6', type: 'inspection', facts: { berth: 'Berth 6', finding: 'worn' } },
      'works mail-in',
      'petra',
    ],
    [
      'Mooring inspection Berth 6 (copy)',
      'pdf',
      { ...base, title: 'Mooring inspection, Berth 6', type: 'inspection', facts: { berth: 'Berth 6', finding: 'worn' } },
      'works mail-in',
      'petra',
    ],
    ['Complaint on noise', 'eml', { ...base, title: 'Complaint on noise', type: 'letter', facts: {} }, 'office mail-in', 'ines'],
    [
      'scan_0041',
      'scan',
      { ...base, title: 'Lease of Berth 9, signed', type: 'lease', facts: { berth: 'Berth 9', tenant: 'Brae Chandlery' } },
      'scanner, front desk',
      'ines',
    ],
    [
      'scan_0042',
      'tiff',
      { ...base, title: 'Site plan, Timber Pond', type: 'sheet', facts: { area: 'Timber Pond' } },
      'scanner, front desk',
      'ines',
    ],
    [
      'Calibration Ferry Pier gauge',
      'xlsx',
      { ...base, title: 'Calibration, Ferry Pier gauge', type: 'reading', facts: { station: 'Ferry Pier gauge' } },
      'works mail-in',
      'petra',
    ],
    [
      'Minutes September draft',
      'docx',
      { ...base, title: 'Minutes of the board, September 2026', type: 'minutes', facts: {} },
      'upload',
      'ines',
    ],
    [
      'Bollard test Berth 11',
      'pdf',
      { ...base, title: 'Bollard test, Berth 11', type: 'inspection', facts: { berth: 'Berth 11', finding: 'sound' } },
      'works mail-in',
      'petra',
    ],
    [
      'Photo of the north light',
      'png',
      { ...base, title: 'Light inspection, north light', type: 'inspection', facts: { berth: 'north light', finding: 'sound' } },
      'upload',
      'petra',
    ],
    ...tidebookLetters(base),
    ['Gate list week 36', 'pdf', { ...base, title: 'Gate list, week 36', type: 'order', facts: { vessel: 'Quill' } }, 'upload', 'sunniva'],
    ['Gate list week 37', 'pdf', { ...base, title: 'Gate list, week 37', type: 'order', facts: { vessel: 'Hesper' } }, 'upload', 'sunniva'],
  ];
  for (const [name, kind, subject, source, login] of letters) {
    const again = seeded(77);
    const file = await sampleFile(kind, subject, subject.title.includes('Berth 6') ? again : random);
    await receive(loaded.services, await as(loaded, login, demoToday), {
      name: `${name}.${file.ending}`,
      source,
      placeId: null,
      idempotencyKey: null,
      bytes: (async function* () {
        yield file.bytes;
      })(),
    });
  }
}

/** Loads the scenario into an empty, migrated database. Deterministic but for the ids that the acts themselves make. */
export async function loadDemo(config: Config, progress: (line: string) => void): Promise<void> {
  const running = await startServices({ ...config, logLevel: 'warn' });
  const { services } = running;
  try {
    if (await row(services.pool, 'demo.any', 'select from principal limit 1')) return;
    progress('making the people, the plan and the schedule');
    const { folders, records } = makeRecords();
    const files = await makeFiles(records);
    progress(`filing ${records.length} records of 1998 to 2026`);
    await setClock(services, begin);
    const partial = await withUnitOfWork(services.pool, programActor('demo', begin), async (uow) => {
      await writeSetting(uow, 'repository', { name: 'Marrowick Harbour Authority', timeZone });
      // The loader sweeps itself, each time on the day of the story.
      await writeSetting(uow, 'swept', { on: demoToday });
      await writeSetting(
        uow,
        'demoAccounts',
        people.filter((p) => p.shown).map(({ name, login, what }) => ({ name, login, what })),
      );
      const { personId, groupId } = await addPeople(uow);
      const { placeId, rootId } = await addPlaces(uow, folders);
      const made = { personId, groupId, placeId, rootId };
      await addGrants(uow, made);
      await addSchedule(uow, personId, placeId, folders);
      await addEvents(uow, folders, personId.get('ines')!);
      const entities = await addEntities(uow, records);
      await addFolderFacts(uow, folders, entities);
      await addRecords(uow, made, records, files, entities);
      await addHistory(uow, made, records, files);
      const book = await loadRuleBook(uow);
      await inParts(records, (part) =>
        recompute(
          uow,
          part.map((r) => r.id),
          book,
          demoToday,
        ),
      );
      uow.enter({ act: 'loaded the demo', subject: { kind: 'repository', id: rootId, name: 'Marrowick Harbour Authority' } });
      return made;
    });
    await services.sealer.sealNow();
    const loaded: Loaded = { ...partial, services };
    progress('placing holds and running batches');
    await addActs(loaded);
    await spreadCovers(config);
    progress('receiving the mail');
    await addArrivals(loaded);
    await setClock(services, demoToday);
    progress('looking for what should not lie about');
    while ((await lookForSigns(services, programActor('job', demoToday))) > 0);
    await services.pool.query('select fold_rack(), fold_rule_use()');
    await services.sealer.sealNow();
    await services.pool.query('analyze record').catch(() => undefined);
  } finally {
    await running.stop();
  }
}

import type { Facts } from '@key-cellar/core/records';
import { recordWords, rows, run, type UnitOfWork } from '@key-cellar/server';
import { richKinds, sampleFile, textFile, type SampleFile, type Subject } from '../files/index.js';
import { people } from '../people.js';
import { recordTypes } from '../plan.js';
import { seeded, type Random } from '../random.js';
import { containers, type DemoRecord } from '../records.js';
import { inParts, type Loaded } from './scene.js';

/** Parties and business objects that records name, and how each fact is stored: by their ids. */
export interface Entities {
  readonly idOf: ReadonlyMap<string, string>;
  stored(type: keyof typeof recordTypes, facts: Facts): { facts: Facts; refers: string[] };
}

export async function addEntities(uow: UnitOfWork, records: readonly DemoRecord[]): Promise<Entities> {
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

export interface WithFile {
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
export async function makeFiles(records: readonly DemoRecord[]): Promise<WithFile[]> {
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

export async function addRecords(
  uow: UnitOfWork,
  loaded: Omit<Loaded, 'services'>,
  records: readonly DemoRecord[],
  files: readonly WithFile[],
  entities: Entities,
  contents: Loaded['services']['contents'],
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
    const sealed = await Promise.all(part.map((f) => contents.seal(f.file.bytes)));
    await run(
      uow,
      'demo.content',
      `insert into content (id, key_slot, sha256, tree, size) select * from unnest($1::uuid[], $2::bigint[], $3::bytea[], $4::bytea[], $5::bigint[])`,
      [
        part.map((f) => f.contentId),
        sealed.map((c) => c.slot),
        sealed.map((c) => c.sha256),
        sealed.map((c) => c.tree),
        sealed.map((c) => c.size),
      ],
    );
    await run(
      uow,
      'demo.chunks',
      'insert into content_chunk (content_id, seq, bytes) select id, 0, bytes from unnest($1::uuid[], $2::bytea[]) as c (id, bytes)',
      [part.map((f) => f.contentId), sealed.map((c) => c.stored)],
    );
    await run(
      uow,
      'demo.versions',
      `insert into version (record_id, no, content_id, file_name, media_type, made_by, made_at)
       select * from unnest($1::uuid[], $2::int[], $3::uuid[], $4::text[], $5::text[], $6::uuid[], $7::timestamptz[])`,
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
        part.map((f) => f.file.mediaType),
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

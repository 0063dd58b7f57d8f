import type { Dossier, Told } from '@key-cellar/contract';
import { explainAccess, listRights } from '@key-cellar/core/access';
import { factGaps, idsIn } from '@key-cellar/core/records';
import type { HoldInTheWay } from '@key-cellar/core/schedule';
import { mayNameDetectors } from '../criteria/index.js';
import { certificateOf, type Services } from '../docket/index.js';
import { earlierFacts, namesOf, recordType } from '../facts/index.js';
import { holdsAsKnown } from '../holds/index.js';
import { requireRight, type SignedIn } from '../kernel/index.js';
import { placesByIds } from '../plan/index.js';
import { containerById, deferralOf, detectorTitles, personName, recordById, toLine, versionsOf } from '../records/index.js';
import { explainJudged, judge } from '../schedule/index.js';

/** One record with everything known of it: gathered from all the areas that know something. */
export async function dossier(services: Services, person: SignedIn, id: string): Promise<Told<Dossier>> {
  const { pool } = services;
  const access = await services.access.of(person);
  const found = requireRight(access, person, await recordById(pool, id), 'read');
  const [type, earlier, versions, holds, places, container, owner, depositor, certificate, deferral] = await Promise.all([
    recordType(pool, found.record_type),
    earlierFacts(pool, found.record_type),
    versionsOf(pool, id),
    holdsAsKnown(pool, person, access, found),
    placesByIds(pool, found.places),
    found.container_id ? containerById(pool, found.container_id) : undefined,
    found.owner_id ? personName(pool, found.owner_id) : undefined,
    personName(pool, found.deposited_by),
    certificateOf(pool, id),
    deferralOf(pool, id, person.today),
  ]);
  const gaps = factGaps(type!.facts, found.facts);
  const factNames = await namesOf(pool, access, idsIn(found.facts));
  const inTheWay: HoldInTheWay[] = holds.flatMap(({ since, until, hold }) => (until === null ? [{ since, hold }] : []));
  const book = await services.rules.current(pool);
  const [judged] = await judge(pool, [found], book, person.today);
  const byId = new Map(places.map((p) => [p.id, p]));
  const rights = access.on(found.access_set_id);
  const own = found.deposited_by === person.id;
  return {
    ...toLine(found),
    revision: found.revision,
    path: found.places.flatMap((p) => {
      const place = byId.get(p);
      return place && place.kind !== 'repository' ? [{ id: p, kind: place.kind, code: place.code, title: place.title }] : [];
    }),
    facts: found.facts,
    factNames,
    type: { code: type!.code, title: type!.title, version: type!.version, facts: type!.facts, retired: type!.retired_on !== null },
    typeVersion: found.type_version,
    earlierFacts: earlier.filter((f) => found.facts[f.code] !== undefined),
    gapList: gaps,
    jurisdictions: found.jurisdictions,
    detected: mayNameDetectors(access) ? await detectorTitles(pool, found.detected) : [],
    receivedOn: found.received_on,
    modifiedOn: found.modified_on,
    owner: owner ?? null,
    depositedBy: depositor!,
    container: container ?? null,
    versions: versions.map((v) => ({
      no: v.no,
      fileName: v.file_name,
      mediaType: v.media_type,
      size: v.size,
      sha256: v.sha256.toString('hex'),
      madeBy: v.made_by,
      madeAt: v.made_at.toISOString(),
      note: v.note,
    })),
    holds,
    frozenParts: found.frozen,
    frozenByHold: found.frozen_by_hold,
    why: explainJudged(judged!, inTheWay, gaps),
    rights: listRights(own ? rights.own | rights.all : rights.all),
    accessWhy: explainAccess(access.explain(found.access_set_id)),
    certificate: certificate ? { id: certificate.id, number: certificate.number } : null,
    transferredTo: certificate?.accession ?? null,
    deferral: deferral ?? null,
  };
}

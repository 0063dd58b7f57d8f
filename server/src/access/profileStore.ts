import { profilesWith, rightSet, withParts, type Profile, type Profiles, type Right } from '@key-cellar/core/access';
import { type Db, row, rows, run } from '../kernel/index.js';

export interface OwnProfileRow extends Record<string, unknown> {
  /** Its code, which tells it apart. */
  id: string;
  code: string;
  title: string;
  rights: Right[];
  own_only: boolean;
  active: boolean;
  revision: number;
}

const columns = 'code as id, code, title, rights, own_only, active, revision';

export const ownProfiles = (db: Db) =>
  rows<OwnProfileRow>(db, 'profile.all', `select ${columns} from own_profile order by lower(title), code`, []);

/** A profile of the repository’s own, with its row locked. */
export const lockProfile = (db: Db, code: string) =>
  row<OwnProfileRow>(db, 'profile.lock', `select ${columns} from own_profile where code = $1 for update`, [code]);

/** As the core takes it. */
const profileOf = (p: Pick<OwnProfileRow, 'code' | 'title' | 'rights' | 'own_only'>): Profile => ({
  code: p.code,
  title: p.title,
  rights: withParts(rightSet(...p.rights)),
  ownOnly: p.own_only,
});

/** The profiles that ship and those of the repository’s own, in use or not. */
export const loadProfiles = async (db: Db): Promise<Profiles> => profilesWith((await ownProfiles(db)).map(profileOf));

/** Profiles as they were at the end of a day. */
export async function profilesOn(db: Db, on: string): Promise<Profiles> {
  const found = await rows<{ was: OwnProfileRow }>(db, 'profile.on', `select was from as_it_was('own_profile', $1) was`, [on]);
  return profilesWith(found.map((f) => profileOf(f.was)));
}

interface Written {
  readonly code: string;
  readonly title: string;
  readonly rights: readonly string[];
  readonly ownOnly: boolean;
  readonly active: boolean;
}

/** Makes or changes a profile of the repository’s own. */
export async function writeProfile(db: Db, p: Written): Promise<void> {
  await run(
    db,
    'profile.write',
    `insert into own_profile (code, title, rights, own_only, active) values ($1, $2, $3, $4, $5)
     on conflict (code) do update set title = excluded.title, rights = excluded.rights, own_only = excluded.own_only, active = excluded.active,
       revision = own_profile.revision + 1`,
    [p.code, p.title, p.rights, p.ownOnly, p.active],
  );
}

/** Whether another profile is called so. */
export const titleTaken = async (db: Db, title: string, code: string): Promise<boolean> =>
  (await row(db, 'profile.titled', 'select from own_profile where lower(title) = lower($1) and code <> $2', [title, code])) !== undefined;

/** How many grants there are with each profile. */
export async function grantsByProfile(db: Db): Promise<ReadonlyMap<string, number>> {
  const found = await rows<{ profile: string; n: number }>(
    db,
    'profile.grants',
    'select profile, count(*)::int as n from grant_ group by profile',
    [],
  );
  return new Map(found.map((f) => [f.profile, f.n]));
}

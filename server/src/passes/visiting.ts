import { hasRight } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import { readSettings, type Settings } from '../identity/index.js';
import { notFound, Problem, type Actor, type PersonAccess, type Visiting } from '../kernel/index.js';
import { readerMark, recordKind, type Leaving, type Services } from '../records/index.js';
import * as store from './store.js';

/** What a pass is good for now. */
export type PassState = 'open' | 'ended' | 'used' | 'revoked' | 'powerless';

type Standing = Pick<store.PassRow, 'revoked_at' | 'until' | 'openings' | 'opened' | 'maker_active' | 'sets' | 'place_id' | 'copy_out'>;

/** Sets of records that a pass shows: where its maker may make it still, on everything. */
function setsShown(access: PersonAccess, copyOut: boolean): number[] {
  return access
    .sets('link')
    .filter((set) =>
      (['discover', 'read', ...(copyOut ? (['copyOut'] as const) : [])] as const).every((right) => hasRight(access.on(set).all, right)),
    );
}

/** How a pass stands on a day (YYYY-MM-DD), by what its maker may do. */
export function stateOf(pass: Standing, access: PersonAccess, today: string): PassState {
  if (pass.revoked_at !== null) return 'revoked';
  if (pass.until < today) return 'ended';
  const shown = new Set(setsShown(access, pass.copy_out));
  // What lies in a place may stand in other sets than the place itself: of a place the place decides here, of a record its own later.
  if (!pass.maker_active || !pass.sets.some((set) => shown.has(set))) return 'powerless';
  return pass.openings !== null && pass.opened >= pass.openings ? 'used' : 'open';
}

/** The access of whoever made a pass, as it is now. */
export function accessOfMaker(services: Services, pass: store.PassRow, today: string): Promise<PersonAccess> {
  const clearance = { level: pass.clearance_level, caveats: pass.clearance_caveats };
  return services.access.of({ id: pass.made_by, today, clearance, accessEpoch: pass.access_epoch });
}

/** A visitor whose pass is open, and what it shows. */
export interface Visitor {
  readonly pass: store.PassRow;
  readonly sets: readonly number[];
  readonly settings: Settings;
  readonly actor: Actor & { readonly id: string };
  /** What stands all over the pages that they see. */
  readonly mark: string;
}

/** As the ledger calls a visitor: the pass acts, so that it stands among what people do. */
export const visitorActor = (pass: Pick<store.PassRow, 'id' | 'visitor'>, address: string, today: string): Visitor['actor'] => ({
  id: pass.id,
  name: `${pass.visitor} (visitor)`,
  from: address,
  today,
});

/** Who visits: throws 401 where no pass is open, or it does not work any more. */
export async function requireVisitor(services: Services, { sessionHash, address }: Visiting): Promise<Visitor> {
  const pass = sessionHash && (await store.passOfSession(services.pool, sessionHash));
  if (!sessionHash || !pass) throw new Problem(401, 'no-pass', message('passes.noneOpen'));
  const settings = await readSettings(services.pool);
  const access = await accessOfMaker(services, pass, settings.today);
  const state = stateOf(pass, access, settings.today);
  // A pass that was opened as often as it may be goes on for whoever has it open.
  if (state !== 'open' && state !== 'used') throw new Problem(401, 'no-pass', message('passes.worksNoMore'));
  await store.touchVisit(services.pool, sessionHash);
  return {
    pass,
    sets: setsShown(access, pass.copy_out),
    settings,
    actor: visitorActor(pass, address, settings.today),
    mark: readerMark(pass.visitor, settings),
  };
}

/** The newest version of a record that a pass shows; throws 404 for every other. */
export async function visitorLeaving(
  services: Services,
  visitor: Visitor,
  recordId: string,
): Promise<Leaving & { readonly content: Leaving['content'] & { readonly file_name: string } }> {
  const [found] = await store.recordsOf(services.pool, visitor.pass, visitor.sets, { recordId });
  if (!found?.content_id) throw notFound(message('thing.record'));
  return {
    subject: recordKind.subject(found as never),
    content: {
      content_id: found.content_id,
      sha256: found.sha256!,
      size: Number(found.size),
      media_type: found.media_type!,
      file_name: found.file_name!,
    },
    about: { version: found.no, pass: visitor.pass.id },
  };
}

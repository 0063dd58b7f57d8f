import type { OutsideLine, Told } from '@key-cellar/contract';
import { outsideNames } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import type { Services } from '../docket/index.js';
import { requireAtRepository, type PersonAccess } from '../kernel/index.js';
import * as store from './store.js';

type Name = (typeof outsideNames)[number];

/** Which variable of the server says where a service is. */
const settings: Readonly<Record<Name, string | null>> = {
  timeAuthority: 'TIME_AUTHORITY_URL',
  witness: 'WITNESS_URL',
  archive: 'ARCHIVE_URL',
  mail: 'SMTP_URL',
  objects: 'OBJECTS_URL',
  backup: null,
};

/** A service’s address without what one signs in with. */
function shown(address: string): string {
  const { protocol, host, pathname } = new URL(address);
  return `${protocol}//${host}${pathname === '/' ? '' : pathname}`;
}

/** What the repository leans on outside of itself. For whoever sets it up. */
export async function outside(services: Services, access: PersonAccess): Promise<Told<OutsideLine>[]> {
  const { pool, config, sealer } = services;
  await requireAtRepository(pool, access, 'connect');
  // An object store works with every content, and is asked on Proof.
  const last = { ...(await store.outsideLast(pool)), objects: null };
  const troubles = new Map(sealer.troubles().map((trouble) => [trouble.what, trouble.sentence]));
  const addresses: Readonly<Record<Name, string | null>> = {
    timeAuthority: config.timeAuthorityUrl,
    witness: config.witnessUrl,
    archive: config.archiveUrl,
    mail: typeof config.mail === 'object' ? (config.mail?.url ?? null) : null,
    objects: typeof config.objects === 'object' ? (config.objects?.url ?? null) : null,
    backup: null,
  };
  return outsideNames.map((name) => {
    const address = addresses[name] === null || addresses[name] === '' ? null : shown(addresses[name]);
    const there = address !== null || (name === 'backup' && last.backup !== null);
    return {
      name,
      state: !there ? 'none' : (config.standIns as readonly string[]).includes(name) ? 'standIn' : 'own',
      purpose: message(`reports.outside.${name}`),
      trouble: name === 'timeAuthority' ? (troubles.get('stamp') ?? null) : name === 'witness' ? (troubles.get('witness') ?? null) : null,
      address,
      setting: settings[name],
      last: last[name]?.toISOString() ?? null,
    };
  });
}

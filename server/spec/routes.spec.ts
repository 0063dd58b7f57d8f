import { Secret, TOTP } from 'otpauth';
import { writeMailSetting } from '../src/mail/index.js';
import { asOwner } from './support/database.js';
import type { Right } from '@key-cellar/core/access';
import { bareFolder } from '@key-cellar/core/plan';
import type { StencilBody } from '@key-cellar/contract';
import * as contract from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { bound, namesOfAll } from '../src/http/table.js';
import { ProviderBrowser, somebody } from './support/atProvider.js';
import { providerDetails } from './support/actExamples.js';
import { packed } from './support/packages.js';
import {
  approvedBatch,
  Client,
  letSetUp,
  makeWorld,
  password,
  revisionOf,
  ruleDefinition,
  statusOf,
  today,
  type World,
} from './support/world.js';

const endpoints = bound();
const mutating = endpoints.filter(({ endpoint }) => endpoint.changes);

const newPassword = 'a good long one, indeed';

describe('every route that changes something', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld({ identityProvider: 'stand-in' });
    await letSetUp(world);
  });
  afterAll(() => world.stop());

  const entries = async (): Promise<number> =>
    (await world.pool.query<{ n: number }>('select count(*)::int as n from ledger_entry')).rows[0]!.n;

  /** Something to act on, made anew for each route. */
  const scene = {
    arrival: (client: Client) => client.upload('walk.txt', `walk ${uuidv7()}`),
    rule: async () =>
      (await world.as('keeper').call(contract.schedule.makeRule, { body: { code: `R-${Date.now()}`, definition: ruleDefinition() } })).id,
    matter: async () =>
      (
        await world
          .as('counsel')
          .call(contract.holds.makeMatter, { body: { code: `M-${uuidv7()}`.slice(0, 30), title: 'M', kind: 'case', note: '' } })
      ).id,
    hold: async (ids: string[]) =>
      (
        await world.as('counsel').call(contract.holds.placeHold, {
          body: {
            matterId: await scene.matter(),
            name: 'H',
            reason: 'a reason',
            freeze: false,
            recordIds: ids,
            custodianIds: [world.ids.reader],
          },
        })
      ).id,
    person: async () => {
      const login = `walk-${uuidv7()}`;
      const body = { name: 'Walker', login, email: null, clearance: { level: 0, caveats: [] }, groupIds: [], invite: true };
      return { login, ...(await world.as('keeper').call(contract.people.make, { body })) };
    },
    /** Somebody who chose a password by a link. */
    factor: async (upTo: 'begun' | 'set up') => {
      const client = await scene.accepted();
      const { secret } = await client.call(contract.identity.beginSecond, { body: { password: newPassword } });
      if (upTo === 'begun') return { client, code: '' };
      const totp = new TOTP({ secret: Secret.fromBase32(secret) });
      const { codes } = await client.call(contract.identity.confirmSecond, { body: { code: totp.generate() } });
      return { client, code: codes[0]! };
    },
    mailLeaves: async () => {
      await writeMailSetting(world.pool, { on: true, publicUrl: 'https://cellar.test' });
      await world.pool.query(`update principal set email = 'keeper@test.example' where id = $1`, [world.ids.keeper]);
    },
    /** Somebody of the provider that is simulated, who is signed in by it as a newcomer. */
    newcomer: async () => {
      const { url: issuer, clientId, clientSecret } = world.running.identityProvider!;
      const keeper = world.as('keeper');
      const { providers } = await keeper.call(contract.federation.providers);
      const body = { ...providerDetails, name: 'Directory', issuer, clientId, clientSecret, newcomers: true };
      const id = providers.find((p) => p.issuer === issuer)?.id ?? (await keeper.call(contract.federation.addProvider, { body })).id;
      const sub = uuidv7();
      await world.running.identityProvider!.knows([somebody(sub, `${sub}@test.example`)]);
      const browser = new ProviderBrowser(world.base, id);
      await browser.signIn(sub);
      return { id, sub, browser, person: (await browser.client.call(contract.identity.me)).id };
    },
    refusedMail: async () => {
      const id = uuidv7();
      await world.pool.query(
        `insert into mail (id, to_id, address, kind, subject, body, html, state) values ($1, $2, 'a@b.example', 'test', 'S', 'B', 'B', 'refused')`,
        [id, world.ids.keeper],
      );
      return id;
    },
    pass: async () =>
      world.as('keeper').call(contract.passes.make, {
        body: { visitor: 'A guest', reason: 'asked for it', recordIds: [(await world.file('editor')).id], openings: 3 } as never,
      }),
    visitor: async () => {
      const { token } = await scene.pass();
      return new Client(world.base, '').fetch('/api/pass/open', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ token }),
      });
    },
    accepted: async () => {
      const { invitation } = await scene.person();
      const response = await new Client(world.base, '').fetch('/api/invitation/accept', {
        method: 'POST',
        body: JSON.stringify({ token: invitation!.token!, password: newPassword }),
        headers: { 'content-type': 'application/json' },
      });
      return new Client(world.base, response.headers.get('set-cookie')!.split(';')[0]!);
    },
    group: async () => (await world.as('keeper').call(contract.people.makeGroup, { body: { name: `G ${uuidv7()}`, memberIds: [] } })).id,
    program: async () => {
      const body = { name: `P ${uuidv7()}`, clearance: { level: 0, caveats: [] } };
      return (await world.as('keeper').call(contract.programs.make, { body })).id;
    },
    token: async () =>
      world.as('keeper').call(contract.programs.makeToken, {
        params: { id: await scene.program() },
        body: { name: 'T', scopes: ['records.read'], until: '2026-12-31' },
      }),
    provider: async () => {
      const body = { ...providerDetails, name: `P ${uuidv7()}`, issuer: `https://${uuidv7()}.example` };
      return (await world.as('keeper').call(contract.federation.addProvider, { body })).id;
    },
    review: async () => {
      const keeper = world.as('keeper');
      const year = (await keeper.call(contract.identity.me)).today.slice(0, 4);
      const body = { title: 'R', placeId: world.ids.root, dueOn: `${year}-12-31`, endsUnconfirmed: false };
      return keeper.call(contract.access.beginReview, { body });
    },
    raise: async () =>
      world.as('reader').call(contract.access.askRaise, {
        body: {
          placeId: world.ids.A01,
          profile: await scene.profile(['discover', 'edit', 'read']),
          until: (await world.as('reader').call(contract.identity.me)).today,
          reason: 'for a day',
        },
      }),
    profile: async (rights: Right[] = ['discover']) =>
      (await world.as('keeper').call(contract.access.makeProfile, { body: { title: `P ${uuidv7()}`, rights, ownOnly: false } })).code,
    tag: async () => (await world.as('keeper').call(contract.tags.make, { body: { name: `T ${uuidv7()}`, note: '' } })).id,
    grant: async () =>
      (
        await world.as('keeper').call(contract.people.giveGrant, {
          params: { id: world.ids.A01 },
          body: { principalId: await scene.group(), profile: 'reader', reason: 'asks', dryRun: false },
        })
      ).id,
    folder: async () =>
      (
        await world
          .as('keeper')
          .call(contract.plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code: 'WALK-{nn}', title: 'W', note: '' } })
      ).id,
    series: async () =>
      (
        await world
          .as('keeper')
          .call(contract.plan.makePlace, { body: { parentId: world.ids.A, kind: 'series', code: 'WALKED-{nn}', title: 'W', note: '' } })
      ).id,
    detector: async () =>
      (
        await world.as('keeper').call(contract.setup.makeDetector, {
          body: { title: `D ${uuidv7()}`, note: '', signs: [{ kind: 'words', words: ['quay'], atLeast: 1 }] },
        })
      ).id,
    numbering: async () =>
      (
        await world
          .as('keeper')
          .call(contract.records.makeNumbering, { body: { title: `N ${uuidv7()}`, pattern: '{year}-{nnn}', per: ['year'], gapless: true } })
      ).id,
    byCriteria: async () =>
      (
        await world.as('keeper').call(contract.schedule.addCriteriaRule, {
          body: { ruleId: await scene.rule(), criteria: { op: 'fact', fact: 'topic', value: uuidv7() }, note: '' },
        })
      ).id,
    jurisdiction: async () => {
      const name = `Shore ${uuidv7()}`;
      await world.as('keeper').call(contract.schedule.makeJurisdiction, { body: { name, partOf: null } });
      return name;
    },
    stencil: async () => {
      const root = bareFolder('root', 'S-{nn}', 'Walked') as StencilBody['root'];
      const body = { subject: 'S', title: `Stencil ${uuidv7()}`, note: '', definition: { asks: [], roles: [], root } };
      return (await world.as('keeper').call(contract.stencils.make, { body })).id;
    },
    party: async () =>
      (await world.as('editor').call(contract.setup.makeEntity, { body: { kind: 'party', name: `Party ${uuidv7()}`, code: '', note: '' } }))
        .id,
    /** An owner who is asked about a record. */
    asked: async (): Promise<Client> => {
      const { id } = await world
        .as('keeper')
        .call(contract.plan.makePlace, { body: { parentId: world.ids.A02, kind: 'folder', code: 'ASK-{nn}', title: 'A', note: '' } });
      const step = { from: 'clockStart', approvals: 0, noticeDays: 0 } as const;
      const steps = [{ ...step, kind: 'askOwner', after: 'P1D' } as const, { ...step, kind: 'destroy', after: 'P9Y' } as const];
      await world.rule(`R-ASK-${Date.now()}`, id, ruleDefinition({ steps }));
      await world.file('editor', { createdOn: '2026-09-01', place: id });
      const { jobId } = await world.as('keeper').call(contract.steps.sweep);
      await world.services.jobs.settled(jobId!);
      return world.as('editor');
    },
    batch: async (announce: boolean) => {
      await world.file('editor', { createdOn: '2024-01-01' });
      const keeper = world.as('keeper');
      await keeper.call(contract.steps.sweep);
      const { groups } = await keeper.call(contract.docket.due);
      return (await keeper.call(contract.docket.propose, { body: { groupKey: groups[0]!.key, noticeDays: 0, announce } })).id;
    },
  };

  /** What carries each one out; a route without a line here fails the walk. */
  const acts: Record<string, () => Promise<unknown>> = {
    'identity.makeFirstKeeper': () =>
      statusOf(
        new (world.as('keeper').constructor as typeof Client)(world.base, '').call(contract.identity.makeFirstKeeper, {
          body: { repository: 'X', name: 'X', login: 'x', password },
        }),
      ),
    'identity.signIn': () => world.as('keeper').call(contract.identity.signIn, { body: { login: 'reader', password } }),
    'identity.signOut': () => world.as('outsider').call(contract.identity.signOut),
    'identity.endSession': async () => {
      const steward = world.as('steward');
      await steward.call(contract.identity.signIn, { body: { login: 'steward', password } });
      const { sessions } = await steward.call(contract.identity.sessions);
      await steward.call(contract.identity.endSession, { params: { id: sessions.find((s) => !s.here)!.id } });
    },
    'identity.endOtherSessions': async () => {
      await world.as('steward').call(contract.identity.signIn, { body: { login: 'steward', password } });
      await world.as('steward').call(contract.identity.endOtherSessions);
    },
    'identity.setLanguage': async () => {
      await world.as('reader').call(contract.identity.setLanguage, { body: { language: 'de' } });
    },
    'identity.readMessage': async () => {
      await scene.hold([(await world.file('editor')).id]);
      const reader = world.as('reader');
      const { messages } = await reader.call(contract.identity.messages);
      await reader.call(contract.identity.readMessage, { params: { id: messages[0]!.id } });
    },
    'identity.moveClock': () => world.as('keeper').call(contract.identity.moveClock, { body: { to: '2026-09-15' } }),
    'plan.makePlace': () =>
      world
        .as('keeper')
        .call(contract.plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code: 'W-1', title: 'W', note: '' } }),
    'plan.closeFolder': async () => {
      const { id } = await world
        .as('keeper')
        .call(contract.plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code: 'W-2', title: 'W', note: '' } });
      const { openedOn } = await world.as('keeper').call(contract.plan.place, { params: { id } });
      await world.as('keeper').call(contract.plan.closeFolder, { params: { id }, body: { on: openedOn } });
    },
    'plan.editPlace': async () => {
      const id = await scene.folder();
      const { revision, code } = await world.as('keeper').call(contract.plan.place, { params: { id } });
      const body = { revision, code, title: 'Other', note: '', notHere: '', message: '' };
      await world.as('keeper').call(contract.plan.editPlace, { params: { id }, body });
    },
    'plan.movePlace': async () =>
      world.as('keeper').call(contract.plan.movePlace, {
        params: { id: await scene.folder() },
        body: { revision: 1, parentId: world.ids.A02, dryRun: false },
      }),
    'plan.mergePlace': async () =>
      world.as('keeper').call(contract.plan.mergePlace, {
        params: { id: await scene.folder() },
        body: { revision: 1, intoId: await scene.folder(), dryRun: false },
      }),
    'plan.retirePlace': async () =>
      world.as('keeper').call(contract.plan.retirePlace, { params: { id: await scene.folder() }, body: { reason: 'not used' } }),
    'plan.reopenFolder': async () => {
      const params = { id: await scene.folder() };
      await world.as('keeper').call(contract.plan.retirePlace, { params, body: { reason: 'not used' } });
      await world.as('keeper').call(contract.plan.reopenFolder, { params, body: { reason: 'used after all' } });
    },
    'exchange.importPackage': () =>
      world.as('keeper').call(contract.exchange.importPackage, {
        body: { data: packed({ eventTypes: [{ name: 'walked' }] }).toString('base64'), conflicts: 'refuse', dryRun: false },
      }),
    'exchange.importKit': () =>
      world.as('keeper').call(contract.exchange.importKit, { params: { kit: 'club' }, body: { language: 'en', dryRun: false } }),
    'people.make': () => scene.person(),
    'people.change': async () => {
      const { id, login } = await scene.person();
      const body = { name: 'Another', login, email: null, clearance: { level: 0, caveats: [] }, groupIds: [], revision: 1 };
      await world.as('keeper').call(contract.people.change, { params: { id }, body });
    },
    'people.invite': async () => world.as('keeper').call(contract.people.invite, { params: { id: (await scene.person()).id } }),
    'people.letGo': async () =>
      world
        .as('keeper')
        .call(contract.people.letGo, { params: { id: (await scene.person()).id }, body: { reason: 'leaves', heirId: null } }),
    'people.bringBack': async () => {
      const { id } = await scene.person();
      await world.as('keeper').call(contract.people.letGo, { params: { id }, body: { reason: 'leaves', heirId: null } });
      await world.as('keeper').call(contract.people.bringBack, { params: { id } });
    },
    'people.endSessions': async () => {
      const { id, invitation } = await scene.person();
      await new Client(world.base, '').call(contract.people.accept, { body: { token: invitation!.token!, password: newPassword } });
      await world.as('keeper').call(contract.people.endSessions, { params: { id } });
    },
    'federation.begin': async () => (await scene.newcomer()).browser.begin(),
    'federation.finish': () => scene.newcomer(),
    'federation.giveCode': async () => {
      const { id, sub, browser, person } = await scene.newcomer();
      const { secret } = await browser.client.call(contract.identity.beginSecond, { body: { password: '' } });
      const totp = new TOTP({ secret: Secret.fromBase32(secret) });
      const { codes } = await browser.client.call(contract.identity.confirmSecond, { body: { code: totp.generate() } });
      const again = new ProviderBrowser(world.base, id);
      await again.signIn(sub);
      await again.post('/sign-in/code', { code: codes[0]! });
      expect(await again.me()).toBe((await browser.client.call(contract.identity.me)).login);
      return person;
    },
    'federation.unlink': async () => {
      const { id, browser, person } = await scene.newcomer();
      await asOwner(world.database, (client) => client.query(`update principal set password_hash = 'one' where id = $1`, [person]));
      await browser.client.call(contract.federation.unlink, { params: { id } });
    },
    'federation.unlinkPerson': async () => {
      const { id, person } = await scene.newcomer();
      await world.as('keeper').call(contract.federation.unlinkPerson, { params: { id: person, providerId: id } });
    },
    'federation.addProvider': () => scene.provider(),
    'federation.changeProvider': async () => {
      const id = await scene.provider();
      const body = { ...providerDetails, name: `D ${id}`, issuer: `https://${id}.example`, active: false, revision: 1 };
      await world.as('keeper').call(contract.federation.changeProvider, { params: { id }, body });
    },
    'programs.make': () => scene.program(),
    'programs.change': async () => {
      const id = await scene.program();
      const body = { name: `Q ${id}`, clearance: { level: 0, caveats: [] }, active: false, revision: 1 };
      await world.as('keeper').call(contract.programs.change, { params: { id }, body });
    },
    'programs.makeToken': () => scene.token(),
    'programs.endToken': async () => world.as('keeper').call(contract.programs.endToken, { params: { id: (await scene.token()).id } }),
    'people.makeGroup': () => scene.group(),
    'people.changeGroup': async () => {
      const id = await scene.group();
      const body = { name: `${id} renamed`, active: false, memberIds: [], revision: 1 };
      await world.as('keeper').call(contract.people.changeGroup, { params: { id }, body });
    },
    'people.accept': () => scene.accepted(),
    'people.changePassword': async () =>
      (await scene.accepted()).call(contract.people.changePassword, { body: { old: newPassword, password: `${newPassword}, again` } }),
    'people.giveGrant': () => scene.grant(),
    'people.changeGrant': async () =>
      world.as('keeper').call(contract.people.changeGrant, {
        params: { id: await scene.grant() },
        body: { profile: 'borrower', reason: 'takes copies', dryRun: false },
      }),
    'identity.beginSecond': () => scene.factor('begun'),
    'identity.confirmSecond': () => scene.factor('set up'),
    'identity.newCodes': async () => {
      const { client, code } = await scene.factor('set up');
      await client.call(contract.identity.newCodes, { body: { password: newPassword, code } });
    },
    'identity.endSecond': async () => {
      const { client, code } = await scene.factor('set up');
      await client.call(contract.identity.endSecond, { body: { password: newPassword, code } });
    },
    'people.limitSessions': () => world.as('keeper').call(contract.people.limitSessions, { body: { idleMinutes: 50, hours: 24 } }),
    'people.resetSecond': async () => {
      const { client } = await scene.factor('set up');
      const { id } = await client.call(contract.identity.me);
      await world.as('keeper').call(contract.people.resetSecond, { params: { id }, body: { reason: 'lost it' } });
    },
    'people.mailAgain': async () => world.as('keeper').call(contract.people.mailAgain, { params: { id: await scene.refusedMail() } }),
    'people.mailTest': async () => {
      await scene.mailLeaves();
      return world.as('keeper').call(contract.people.mailTest);
    },
    'identity.chooseMail': () => world.as('keeper').call(contract.identity.chooseMail, { body: { kind: 'notice', how: 'daily' } }),
    'identity.forgot': async () => {
      await scene.mailLeaves();
      return new Client(world.base, '').call(contract.identity.forgot, { body: { login: 'keeper' } });
    },
    'passes.make': () => scene.pass(),
    'passes.open': async () => scene.visitor(),
    'passes.revoke': async () =>
      world.as('keeper').call(contract.passes.revoke, { params: { id: (await scene.pass()).id }, body: { reason: 'not needed' } }),
    'people.limitGrants': async () =>
      world.as('keeper').call(contract.people.limitGrants, {
        body: { ids: [await scene.grant()], until: '2031-12-31', reason: 'not for ever', dryRun: false },
      }),
    'people.setStandAlone': async () =>
      world.as('keeper').call(contract.people.setStandAlone, {
        params: { id: await scene.folder() },
        body: { revision: 1, standAlone: true, reason: 'set apart', dryRun: false },
      }),
    'people.nameReader': async () =>
      world.as('keeper').call(contract.people.nameReader, {
        params: { id: await scene.folder() },
        body: { revision: 1, readerOnPages: true, reason: 'screens are photographed' },
      }),
    'people.endGrant': async () =>
      world
        .as('keeper')
        .call(contract.people.endGrant, { params: { id: await scene.grant() }, body: { reason: 'no longer', dryRun: false } }),
    'access.beginReview': () => scene.review(),
    'access.answerReview': async () => {
      const { id } = await scene.review();
      const { lines } = await world.as('keeper').call(contract.access.review, { params: { id } });
      const body = { ids: [lines.find((l) => l.mayAnswer)!.id], answer: 'kept' as const, note: '', dryRun: false };
      await world.as('keeper').call(contract.access.answerReview, { body });
    },
    'access.closeReview': async () => {
      const { id } = await scene.review();
      await world.as('keeper').call(contract.access.closeReview, { params: { id }, body: { reason: 'all was said' } });
    },
    'access.askRaise': () => scene.raise(),
    'access.decideRaise': async () =>
      world
        .as('keeper')
        .call(contract.access.decideRaise, { params: { id: (await scene.raise()).id }, body: { approve: false, note: '' } }),
    'access.withdrawRaise': async () =>
      world.as('reader').call(contract.access.withdrawRaise, { params: { id: (await scene.raise()).id } }),
    'access.makeProfile': () => scene.profile(),
    'access.changeProfile': async () =>
      world.as('keeper').call(contract.access.changeProfile, {
        params: { id: await scene.profile() },
        body: { title: `P ${uuidv7()}`, rights: ['discover'], ownOnly: false, active: true, revision: 1, dryRun: false },
      }),
    'access.markPlace': async () =>
      world.as('keeper').call(contract.access.markPlace, {
        params: { id: await scene.folder() },
        body: { level: 1, caveats: [], revision: 1, reason: 'set apart', dryRun: false },
      }),
    'access.markRecords': async () =>
      world.as('keeper').call(contract.access.markRecords, {
        body: { recordIds: [(await world.file('keeper')).id], level: 1, caveats: [], reason: 'set apart', dryRun: false },
      }),
    'access.giveOnRecord': async () =>
      world.as('keeper').call(contract.access.giveOnRecord, {
        params: { id: (await world.file('keeper')).id },
        body: { principalId: world.ids.staff, profile: 'reader', reason: 'asks', dryRun: false },
      }),
    'tags.make': () => scene.tag(),
    'tags.change': async () =>
      world.as('keeper').call(contract.tags.change, {
        params: { id: await scene.tag() },
        body: { name: `T ${uuidv7()}`, note: '', active: false, revision: 1, dryRun: false },
      }),
    'tags.give': async () =>
      world.as('keeper').call(contract.tags.give, {
        params: { id: await scene.tag() },
        body: { principalId: world.ids.staff, profile: 'reader', reason: 'asks', dryRun: false },
      }),
    'tags.ofPlace': async () =>
      world.as('keeper').call(contract.tags.ofPlace, {
        params: { id: await scene.folder() },
        body: { tagIds: [await scene.tag()], revision: 1, reason: 'belongs to it', dryRun: false },
      }),
    'tags.ofRecords': async () =>
      world.as('keeper').call(contract.tags.ofRecords, {
        body: { recordIds: [(await world.file('keeper')).id], put: [await scene.tag()], take: [], reason: 'belongs to it', dryRun: false },
      }),
    'exchange.importTable': () =>
      world.as('keeper').call(contract.exchange.importTable, {
        params: { section: 'eventTypes' },
        body: { format: 'csv', data: Buffer.from('name\nwalked through\n').toString('base64'), conflicts: 'refuse', dryRun: false },
      }),
    'plan.importPlan': () =>
      world.as('keeper').call(contract.plan.importPlan, {
        body: {
          format: 'csv',
          data: Buffer.from('code,kind,inside,title\nWALK,function,,Walk\n').toString('base64'),
          dryRun: false,
        },
      }),
    'schedule.importSchedule': () =>
      world.as('keeper').call(contract.schedule.importSchedule, {
        body: {
          format: 'csv',
          data: Buffer.from('code,title,authority,clock,steps\nR-WALK-2,Walk,Board,created,destroy P1Y\n').toString('base64'),
          dryRun: false,
        },
      }),
    'plan.recordEvent': () =>
      world.as('keeper').call(contract.plan.recordEvent, { params: { id: world.ids.A01 }, body: { type: 'x', on: today, note: '' } }),
    'plan.setRule': async () =>
      world.as('keeper').call(contract.plan.setRule, { params: { id: world.ids.A02 }, body: { ruleId: await scene.rule() } }),
    'plan.unsetRule': async () => {
      const ruleId = await scene.rule();
      await world.as('keeper').call(contract.plan.setRule, { params: { id: world.ids.A02 }, body: { ruleId } });
      await world.as('keeper').call(contract.plan.unsetRule, { params: { id: world.ids.A02 }, body: { ruleId } });
    },
    'plan.declareInside': async () => {
      await world.file('editor', { place: world.ids.A02 });
      await world.as('steward').call(contract.plan.declareInside, { params: { id: world.ids.A02 } });
    },
    'schedule.makeRule': () => scene.rule(),
    'schedule.saveDraft': async () =>
      world.as('keeper').call(contract.schedule.saveDraft, {
        params: { id: await scene.rule() },
        body: { revision: 1, definition: ruleDefinition({ title: 'Other' }) },
      }),
    'schedule.dropDraft': async () => {
      const params = { id: await scene.rule() };
      const keeper = world.as('keeper');
      await keeper.call(contract.schedule.publish, { params, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
      await keeper.call(contract.schedule.saveDraft, { params, body: { revision: 2, definition: ruleDefinition() } });
      await keeper.call(contract.schedule.dropDraft, { params, body: { revision: 3 } });
    },
    'schedule.withdrawVersion': async () => {
      const params = { id: await scene.rule() };
      const keeper = world.as('keeper');
      await keeper.call(contract.schedule.publish, { params, body: { revision: 1, inForceFrom: '2099-01-01', takesOver: 'all' } });
      await keeper.call(contract.schedule.withdrawVersion, { params: { ...params, version: 1 }, body: { reason: 'A typo in it.' } });
    },
    'schedule.publish': async () =>
      world.as('keeper').call(contract.schedule.publish, {
        params: { id: await scene.rule() },
        body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' },
      }),
    'schedule.cancelJob': async () => {
      const id = uuidv7();
      await world.pool.query(
        `insert into job_progress (id, kind, subject, data, state) values ($1, 'recompute', 'x', '{"reach":{}}', 'running')`,
        [id],
      );
      await world.as('keeper').call(contract.schedule.cancelJob, { params: { id } });
    },
    'schedule.setPair': async () =>
      world
        .as('keeper')
        .call(contract.schedule.setPair, { body: { recordType: 'note', seriesId: world.ids.A01, ruleId: await scene.rule() } }),
    'schedule.unsetPair': async () => {
      const body = { recordType: 'note', seriesId: world.ids.A01, ruleId: await scene.rule() };
      await world.as('keeper').call(contract.schedule.setPair, { body });
      await world.as('keeper').call(contract.schedule.unsetPair, { body });
    },
    'schedule.addCriteriaRule': () => scene.byCriteria(),
    'schedule.changeCriteriaRule': async () =>
      world.as('keeper').call(contract.schedule.changeCriteriaRule, {
        params: { id: await scene.byCriteria() },
        body: { criteria: { op: 'fact', fact: 'topic', value: 'other' }, note: '' },
      }),
    'schedule.moveCriteriaRule': async () => {
      await scene.byCriteria();
      await world.as('keeper').call(contract.schedule.moveCriteriaRule, { params: { id: await scene.byCriteria() }, body: { order: 1 } });
    },
    'schedule.dropCriteriaRule': async () =>
      world.as('keeper').call(contract.schedule.dropCriteriaRule, { params: { id: await scene.byCriteria() } }),
    'schedule.makeJurisdiction': () => scene.jurisdiction(),
    'schedule.moveJurisdiction': async () => {
      const name = await scene.jurisdiction();
      await world.as('keeper').call(contract.schedule.moveJurisdiction, { body: { name, partOf: await scene.jurisdiction() } });
    },
    'schedule.dropJurisdiction': async () =>
      world.as('keeper').call(contract.schedule.dropJurisdiction, { body: { name: await scene.jurisdiction() } }),
    'schedule.setCalendar': async () =>
      world.as('keeper').call(contract.schedule.setCalendar, {
        body: { name: await scene.jurisdiction(), weekend: [6, 7], holidays: [], dryRun: false },
      }),
    'schedule.dropCalendar': async () => {
      const name = await scene.jurisdiction();
      await world.as('keeper').call(contract.schedule.setCalendar, { body: { name, weekend: [7], holidays: [], dryRun: false } });
      await world.as('keeper').call(contract.schedule.dropCalendar, { body: { name } });
    },
    'schedule.makeEventType': () => world.as('keeper').call(contract.schedule.makeEventType, { body: { name: `event ${uuidv7()}` } }),
    'schedule.dropEventType': async () => {
      const name = `event ${uuidv7()}`;
      await world.as('keeper').call(contract.schedule.makeEventType, { body: { name } });
      await world.as('keeper').call(contract.schedule.dropEventType, { body: { name } });
    },
    'schedule.setNamedYear': () =>
      world.as('keeper').call(contract.schedule.setNamedYear, { body: { name: `year ${uuidv7()}`, ends: ['2026-06-30'] } }),
    'schedule.dropNamedYear': async () => {
      const name = `year ${uuidv7()}`;
      await world.as('keeper').call(contract.schedule.setNamedYear, { body: { name, ends: [] } });
      await world.as('keeper').call(contract.schedule.dropNamedYear, { body: { name } });
    },
    'schedule.placeJurisdictions': async () =>
      world.as('keeper').call(contract.schedule.placeJurisdictions, {
        params: { id: world.ids.A02 },
        body: { revision: await revisionOf(world, world.ids.A02), jurisdictions: [await scene.jurisdiction()] },
      }),
    'schedule.override': async () =>
      world.as('keeper').call(contract.schedule.override, {
        body: {
          ids: [(await world.file('editor')).id],
          override: { kind: 'date', dueOn: '2050-01-01', action: 'destroy' },
          reason: 'for the walk',
          dryRun: false,
        },
      }),
    'schedule.addRecordEvent': async () =>
      world.as('editor').call(contract.schedule.addRecordEvent, {
        params: { id: (await world.file('editor')).id },
        body: { type: 'x', on: today, note: '' },
      }),
    'schedule.withdrawEvent': async () => {
      const { id } = await world
        .as('keeper')
        .call(contract.plan.recordEvent, { params: { id: world.ids.A01 }, body: { type: 'x', on: today, note: '' } });
      await world.as('keeper').call(contract.schedule.withdrawEvent, { params: { id }, body: { reason: 'by mistake' } });
    },
    'schedule.importEvents': () =>
      world.as('keeper').call(contract.schedule.importEvents, { body: { csv: `place,type,on\nA-01,x,${today}\n`, dryRun: false } }),
    'records.editFacts': async () => {
      const { id } = await world.file('editor');
      await world
        .as('editor')
        .call(contract.records.editFacts, { params: { id }, body: { revision: 1, title: 'T', createdOn: today, facts: {} } });
    },
    'records.addVersion': async () => {
      const { id } = await world.file('editor');
      await world
        .as('editor')
        .call(contract.records.addVersion, { params: { id }, body: { arrivalId: await scene.arrival(world.as('editor')), note: '' } });
    },
    'records.move': async () =>
      world.as('steward').call(contract.records.move, {
        body: { ids: [(await world.file('editor')).id], placeId: world.ids.A02, reason: 'belongs there', dryRun: false },
      }),
    'records.declare': async () => world.as('steward').call(contract.records.declare, { body: { ids: [(await world.file('editor')).id] } }),
    'records.revoke': async () => {
      const { id } = await world.file('editor');
      await world.as('steward').call(contract.records.declare, { body: { ids: [id] } });
      await world.as('keeper').call(contract.records.revoke, { body: { ids: [id], reason: 'by mistake' } });
    },
    'records.makeNumbering': () => scene.numbering(),
    'records.changeNumbering': async () =>
      world.as('keeper').call(contract.records.changeNumbering, {
        params: { id: await scene.numbering() },
        body: { title: `N ${uuidv7()}`, pattern: '{year}-{nnn}', per: ['year'], gapless: false, revision: 1 },
      }),
    'records.dropNumbering': async () =>
      world.as('keeper').call(contract.records.dropNumbering, { params: { id: await scene.numbering() }, body: { revision: 1 } }),
    'records.splitSeries': async () => {
      const place = await scene.series();
      const { id: folder } = await world
        .as('keeper')
        .call(contract.plan.makePlace, { body: { parentId: place, kind: 'folder', code: 'PART', title: 'Part', note: '' } });
      const which = { by: 'list' as const, folderIds: [folder], numbers: [] };
      const parts = [{ code: `SPLIT-${Date.now()}`, title: 'Part', which }];
      const revision = await revisionOf(world, place);
      return world
        .as('keeper')
        .call(contract.records.splitSeries, { params: { id: place }, body: { revision, parts, reason: 'a reason', dryRun: false } });
    },
    'records.placeNumbering': async () =>
      world.as('keeper').call(contract.records.placeNumbering, {
        params: { id: world.ids.A02 },
        body: { revision: await revisionOf(world, world.ids.A02), numberingId: await scene.numbering() },
      }),
    'receiving.upload': () => scene.arrival(world.as('editor')),
    'receiving.file': () => world.file('editor'),
    'receiving.discard': async () =>
      world.as('editor').call(contract.receiving.discard, { params: { id: await scene.arrival(world.as('editor')) } }),
    'receiving.describePhysical': () =>
      world.as('editor').call(contract.receiving.describePhysical, {
        body: { title: 'P', recordType: 'note', placeId: world.ids.A01, createdOn: today, facts: {}, containerId: world.ids.box },
      }),
    'holds.makeMatter': () => scene.matter(),
    'holds.placeHold': async () => scene.hold([(await world.file('editor')).id]),
    'holds.addRecords': async () =>
      world.as('counsel').call(contract.holds.addRecords, {
        params: { id: await scene.hold([(await world.file('editor')).id]) },
        body: { recordIds: [(await world.file('editor')).id] },
      }),
    'holds.letOut': async () => {
      const { id } = await world.file('editor');
      await world
        .as('counsel')
        .call(contract.holds.letOut, { params: { id: await scene.hold([id]) }, body: { recordIds: [id], reason: 'not in it' } });
    },
    'holds.release': async () =>
      world
        .as('counsel')
        .call(contract.holds.release, { params: { id: await scene.hold([(await world.file('editor')).id]) }, body: { reason: 'settled' } }),
    'holds.acknowledge': async () =>
      world.as('reader').call(contract.holds.acknowledge, { params: { id: await scene.hold([(await world.file('editor')).id]) } }),
    'holds.remind': async () =>
      world.as('counsel').call(contract.holds.remind, { params: { id: await scene.hold([(await world.file('editor')).id]) } }),
    'stencils.make': () => scene.stencil(),
    'stencils.change': async () => {
      const id = await scene.stencil();
      const { definition, ...head } = await world.as('keeper').call(contract.stencils.stencil, { params: { id } });
      const root = { ...definition.root, title: 'Another' };
      const body = { subject: head.subject, title: head.title, note: '', revision: 1, retired: false, definition: { ...definition, root } };
      await world.as('keeper').call(contract.stencils.change, { params: { id }, body });
    },
    'stencils.apply': async () =>
      world.as('keeper').call(contract.stencils.apply, {
        params: { id: await scene.stencil() },
        body: { placeId: world.ids.A02, uses: [{ code: '', title: '', facts: {}, roles: {} }], dryRun: false },
      }),
    'stencils.applyTo': async () =>
      world.as('keeper').call(contract.stencils.applyTo, {
        params: { id: await scene.stencil() },
        body: { placeIds: [await scene.folder()], dryRun: false },
      }),
    'stencils.nameRoles': async () => {
      const keeper = world.as('keeper');
      const { results } = await keeper.call(contract.stencils.apply, {
        params: { id: await scene.stencil() },
        body: { placeId: world.ids.A02, uses: [{ code: '', title: '', facts: {}, roles: {} }], dryRun: false },
      });
      return keeper.call(contract.stencils.nameRoles, { params: { id: results[0]!.placeId! }, body: { roles: {}, dryRun: false } });
    },
    'stencils.bring': async () => {
      const id = await scene.stencil();
      const keeper = world.as('keeper');
      await keeper.call(contract.stencils.apply, {
        params: { id },
        body: { placeId: world.ids.A02, uses: [{ code: '', title: '', facts: {}, roles: {} }], dryRun: false },
      });
      const { definition, subject, title } = await keeper.call(contract.stencils.stencil, { params: { id } });
      const changed = { ...definition, root: { ...definition.root, note: 'New.' } };
      await keeper.call(contract.stencils.change, {
        params: { id },
        body: { subject, title, note: '', revision: 1, retired: false, definition: changed },
      });
      await keeper.call(contract.stencils.bring, { params: { id }, body: { dryRun: false } });
    },
    'setup.makeType': () => world.as('keeper').call(contract.setup.makeType, { body: { code: 'walked', title: 'Walked', facts: [] } }),
    'setup.changeType': () =>
      world.as('keeper').call(contract.setup.changeType, {
        params: { code: 'note' },
        body: {
          version: 1,
          title: 'Note',
          facts: [
            { code: 'topic', title: 'Topic', kind: 'text', required: true },
            { code: 'ended', title: 'Ended', kind: 'date', required: false },
          ],
          dryRun: false,
        },
      }),
    'setup.retireType': async () => {
      await world.as('keeper').call(contract.setup.makeType, { body: { code: 'retired', title: 'Retired', facts: [] } });
      await world.as('keeper').call(contract.setup.retireType, { params: { code: 'retired' }, body: { retired: true } });
    },
    'setup.makeDetector': () => scene.detector(),
    'setup.changeDetector': async () =>
      world.as('keeper').call(contract.setup.changeDetector, {
        params: { id: await scene.detector() },
        body: { title: `D ${uuidv7()}`, note: '', signs: [{ kind: 'words', words: ['quay'], atLeast: 1 }], revision: 1, retired: false },
      }),
    'setup.makeEntity': () => scene.party(),
    'setup.changeEntity': async () =>
      world.as('keeper').call(contract.setup.changeEntity, {
        params: { id: await scene.party() },
        body: { revision: 1, name: `P ${uuidv7()}`, code: '', note: '', retired: false },
      }),
    'setup.addEntityEvent': async () =>
      world.as('editor').call(contract.setup.addEntityEvent, {
        params: { id: await scene.party() },
        body: { type: 'moved away', on: '2026-01-01', note: '' },
      }),
    'setup.placeFacts': async () =>
      world
        .as('editor')
        .call(contract.setup.placeFacts, { params: { id: await scene.folder() }, body: { revision: 1, facts: { topic: 'given on' } } }),
    'setup.placeTakes': async () =>
      world.as('keeper').call(contract.setup.placeTakes, {
        params: { id: await scene.folder() },
        body: { revision: 1, takes: { types: ['note'], formats: null, largest: null } },
      }),
    'steps.answer': async () => {
      const client = await scene.asked();
      const { tasks } = await client.call(contract.steps.tasks);
      await client.call(contract.steps.answer, { body: { ids: [tasks[0]!.id], answer: 'keep' } });
    },
    'steps.answerLetter': async () => {
      const client = await scene.asked();
      const letter = (await client.call(contract.identity.messages)).messages.find((m) => m.ask)!;
      const token = letter.link!.replace('/answers/', '');
      await client.call(contract.steps.answerLetter, { params: { token }, body: { ids: [letter.ask!.ids[0]!], answer: 'keep' } });
    },
    'steps.recompute': () => world.as('keeper').call(contract.steps.recompute, { body: { dryRun: true } }),
    'steps.sweep': () => world.as('keeper').call(contract.steps.sweep),
    'docket.propose': () => scene.batch(false),
    'docket.announce': async () => world.as('keeper').call(contract.docket.announce, { params: { id: await scene.batch(false) } }),
    'docket.object': async () => {
      const id = await scene.batch(true);
      const { items } = await world.as('keeper').call(contract.docket.batch, { params: { id } });
      await world
        .as('editor')
        .call(contract.docket.object, { params: { id }, body: { recordId: items[0]!.recordId, reason: 'still needed' } });
    },
    'docket.answer': async () => {
      await acts['docket.object']!();
      const { batches } = await world.as('keeper').call(contract.docket.batches);
      const { objectionList } = await world
        .as('keeper')
        .call(contract.docket.batch, { params: { id: batches.find((b) => b.objections > 0)!.id } });
      await world.as('keeper').call(contract.docket.answer, {
        params: { id: objectionList[0]!.id },
        body: { keep: true, answer: 'it stays', until: '2028-01-01' },
      });
    },
    'docket.defer': async () => {
      const id = await scene.batch(true);
      const { items } = await world.as('keeper').call(contract.docket.batch, { params: { id } });
      await world.as('keeper').call(contract.docket.defer, {
        params: { id },
        body: { recordId: items[0]!.recordId, until: '2028-01-01', reason: 'not yet' },
      });
    },
    'docket.approve': async () => {
      await world.file('editor', { createdOn: '2024-01-01' });
      await approvedBatch(world);
    },
    'docket.reject': async () => {
      const id = await scene.batch(true);
      await world.setToday('2027-06-01');
      await world.as('approver').call(contract.docket.reject, { params: { id }, body: { reason: 'not yet' } });
    },
    'docket.withdraw': async () =>
      world.as('keeper').call(contract.docket.withdraw, { params: { id: await scene.batch(false) }, body: { reason: 'not yet' } }),
    'docket.execute': async () => {
      await world.file('editor', { createdOn: '2024-01-01' });
      await world.as('keeper').call(contract.docket.execute, { params: { id: await approvedBatch(world) } });
    },
    'docket.confirm': async () => {
      await acts['receiving.describePhysical']!();
      await world.pool.query(`update record set due_on = '2020-01-01', action = 'destroy' where medium = 'physical' and state = 'working'`);
      const keeper = world.as('keeper');
      await keeper.call(contract.steps.sweep);
      const group = (await keeper.call(contract.docket.due)).groups.find((g) => g.medium === 'physical')!;
      const { id } = await keeper.call(contract.docket.propose, { body: { groupKey: group.key, noticeDays: 0, announce: true } });
      await world.setToday('2028-06-01');
      await world.as('approver').call(contract.docket.approve, { params: { id }, body: { note: '' } });
      const { jobId } = await keeper.call(contract.docket.execute, { params: { id } });
      await world.services.jobs.settled(jobId);
      const { items } = await keeper.call(contract.docket.batch, { params: { id } });
      await keeper.call(contract.docket.confirm, {
        params: { id },
        body: {
          recordIds: items.filter((i) => i.outcome === 'task').map((i) => i.recordId),
          on: today,
          method: 'shredded',
          witness: 'A. Witness',
        },
      });
    },
    'ledger.seal': () => world.as('auditor').call(contract.ledger.seal),
    'fixity.schedule': () => world.as('keeper').call(contract.fixity.schedule, { body: { days: 60, megabytesPerSecond: 10 } }),
    'ledger.changeKey': () => world.as('keeper').call(contract.ledger.changeKey, { body: { why: 'a year has passed' } }),
  };
  /** Refused once anybody exists, and what leads elsewhere first. */
  const changesNothing = ['identity.makeFirstKeeper', 'federation.begin'];

  it('has a line in this walk', () => {
    expect(mutating.map((m) => m.name).filter((name) => !acts[name])).toEqual([]);
    expect(Object.keys(acts).filter((name) => !mutating.some((m) => m.name === name))).toEqual([]);
  });

  it('leaves its entry in the ledger', async () => {
    await world.rule('R-WALK', world.ids.A01);
    for (const { name } of mutating.filter((m) => !changesNothing.includes(m.name))) {
      const before = await entries();
      await acts[name]!();
      expect(await entries())
        .withContext(name)
        .toBeGreaterThan(before);
    }
    // What the ledger says was done is what the table of acts says can be done.
    const { rows } = await world.pool.query<{ act: string }>('select distinct act from ledger_entry');
    expect(rows.map((r) => r.act).filter((act) => !namesOfAll().includes(act))).toEqual([]);
  });

  it('refuses without a session, and from another site', async () => {
    for (const { name, endpoint } of endpoints.filter((e) => e.endpoint.who === 'signedIn')) {
      const path = `${world.base}/api${endpoint.path.replace(/\{\w+\}/g, uuidv7())}`;
      const method = endpoint.method.toUpperCase();
      const init = method === 'GET' ? {} : { body: '{}' };
      const bare = await fetch(path, { method, ...init, headers: { 'x-key-cellar': '1' } });
      expect(bare.status).withContext(`${name} without a session`).toBe(401);
      if (method === 'GET') continue;
      for (const headers of [
        { origin: 'https://evil.example' },
        { 'sec-fetch-site': 'cross-site' },
        { 'sec-fetch-site': 'same-site' },
        {},
      ] as Record<string, string>[]) {
        const forged = await fetch(path, { method, ...init, headers: { ...headers, cookie: world.as('keeper').cookie } });
        expect(forged.status)
          .withContext(`${name} ${JSON.stringify(headers)}`)
          .toBe(403);
      }
    }
  });
});

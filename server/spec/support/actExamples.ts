import { bareFolder } from '@key-cellar/core/plan';
import { today, ruleDefinition } from './world.js';
import { packed } from './packages.js';
import type { ActWorld, Common, Things } from './actWorld.js';

export interface Example {
  readonly params?: Record<string, string>;
  readonly query?: Record<string, string>;
  readonly body?: unknown;
}

/** Of a provider of identities, by which nobody has signed in. */
export const providerDetails = {
  ...{ name: 'Renamed directory', issuer: 'https://directory.example', clientId: 'us', clientSecret: 'a secret', groupsClaim: null },
  ...{ groups: [], newcomers: false, byEmail: false, bringsFactor: false, active: true },
};

/** A right request for each act, on the things that it is given. An act without a line here fails the spec. */
export const examples: Record<string, (t: Things, c: Common, world: ActWorld) => Example> = {
  'plan.makePlace': (t) => ({ body: { parentId: t.place, kind: 'folder', code: 'NEW', title: 'New' } }),
  'plan.editPlace': (t) => ({ params: { id: t.place }, body: { revision: 1, code: 'OTHER', title: 'Other' } }),
  'plan.movePlace': (t) => ({ params: { id: t.place }, body: { revision: 1, parentId: t.other } }),
  'plan.mergePlace': (t) => ({ params: { id: t.other }, body: { revision: 2, intoId: t.place } }),
  'plan.reopenFolder': (t) => ({ params: { id: t.place }, body: { reason: 'used after all' } }),
  'plan.retirePlace': (t) => ({ params: { id: t.place }, body: { reason: 'not used' } }),
  'plan.importPlan': () => ({
    body: { format: 'csv', data: Buffer.from('code,kind,inside,title\nACT,function,,Act\n').toString('base64'), dryRun: false },
  }),
  'exchange.importPackage': () => ({
    body: { data: packed({ eventTypes: [{ name: 'brought' }] }).toString('base64'), conflicts: 'refuse', dryRun: false },
  }),
  'exchange.importKit': () => ({ params: { kit: 'club' }, body: { language: 'en', dryRun: false } }),
  'exchange.importTable': () => ({
    params: { section: 'eventTypes' },
    body: { format: 'csv', data: Buffer.from('name\nlisted\n').toString('base64'), conflicts: 'refuse', dryRun: false },
  }),
  'people.make': () => ({
    body: { name: 'New', login: 'new.one', email: null, clearance: { level: 0, caveats: [] }, groupIds: [], invite: true },
  }),
  'people.change': (_, c) => ({
    params: { id: c.person },
    body: { name: 'Renamed', login: 'else', email: null, clearance: { level: 0, caveats: [] }, groupIds: [], revision: 1 },
  }),
  'people.invite': (_, c) => ({ params: { id: c.person } }),
  'people.letGo': (_, c) => ({ params: { id: c.person }, body: { reason: 'leaves', heirId: null } }),
  'people.bringBack': (_, c) => ({ params: { id: c.person } }),
  'people.endSessions': (_, c) => ({ params: { id: c.person } }),
  'federation.unlinkPerson': (_, c) => ({ params: { id: c.person, providerId: c.provider } }),
  'federation.addProvider': () => ({ body: { ...providerDetails, name: 'Another directory', issuer: 'https://another.example' } }),
  'federation.changeProvider': (_, c) => ({ params: { id: c.provider }, body: { ...providerDetails, revision: 1 } }),
  'programs.make': () => ({ body: { name: 'Scanner', clearance: { level: 0, caveats: [] } } }),
  'programs.change': (_, c) => ({
    params: { id: c.program },
    body: { name: 'Renamed', clearance: { level: 0, caveats: [] }, active: true, revision: 1 },
  }),
  'programs.makeToken': (_, c) => ({ params: { id: c.program }, body: { name: 'T', scopes: ['records.read'], until: '2026-12-31' } }),
  'programs.endToken': (_, c) => ({ params: { id: c.token } }),
  'people.makeGroup': () => ({ body: { name: 'New group', memberIds: [] } }),
  'people.changeGroup': (_, c) => ({ params: { id: c.group }, body: { name: 'Renamed', active: true, memberIds: [], revision: 1 } }),
  'people.giveGrant': (t, c) => ({
    params: { id: t.place },
    body: { principalId: c.group, profile: 'reader', reason: 'asks', dryRun: false },
  }),
  'people.changeGrant': (t) => ({ params: { id: t.grant }, body: { profile: 'reader', reason: 'asks again', dryRun: false } }),
  'people.limitGrants': (t) => ({ body: { ids: [t.grant], until: '2031-12-31', reason: 'not for ever', dryRun: false } }),
  'people.setStandAlone': (t) => ({
    params: { id: t.place },
    body: { revision: 1, standAlone: true, reason: 'set apart', dryRun: false },
  }),
  'access.askRaise': (t) => ({ body: { placeId: t.place, profile: 'administrator', until: today, reason: 'for a day' } }),
  'access.decideRaise': (t) => ({ params: { id: t.raise }, body: { approve: false, note: 'not now' } }),
  'access.withdrawRaise': (t) => ({ params: { id: t.raise } }),
  'access.beginReview': (t) => ({ body: { title: 'Autumn', placeId: t.place, dueOn: '2026-10-31', endsUnconfirmed: false } }),
  'access.answerReview': (t) => ({ body: { ids: [t.reviewLine], answer: 'kept', note: 'still needed', dryRun: false } }),
  'access.closeReview': (t) => ({ params: { id: t.review }, body: { reason: 'all was said' } }),
  'access.makeProfile': () => ({ body: { title: 'Mover', rights: ['discover', 'read', 'move'] } }),
  'access.changeProfile': (_, c) => ({
    params: { id: c.profile },
    body: { title: 'Spare', rights: ['discover'], active: true, revision: 1, dryRun: false },
  }),
  'access.markPlace': (t) => ({
    params: { id: t.place },
    body: { level: 1, caveats: [], revision: 1, reason: 'set apart', dryRun: false },
  }),
  'access.markRecords': (t) => ({ body: { recordIds: [t.record], level: 1, caveats: [], reason: 'set apart', dryRun: false } }),
  'access.giveOnRecord': (t, c) => ({
    params: { id: t.record },
    body: { principalId: c.group, profile: 'reader', reason: 'asks', dryRun: false },
  }),
  'people.endGrant': (t) => ({ params: { id: t.grant }, body: { reason: 'no longer', dryRun: false } }),
  'people.limitSessions': () => ({ body: { idleMinutes: 45, hours: 10 } }),
  'people.resetSecond': (_, c) => ({ params: { id: c.person }, body: { reason: 'lost it' } }),
  'people.mailAgain': (_, c) => ({ params: { id: c.mail } }),
  'people.mailTest': () => ({}),
  'passes.make': (t) => ({ body: { visitor: 'A guest', reason: 'asked for it', recordIds: [t.record] } }),
  'passes.revoke': (t) => ({ params: { id: t.pass }, body: { reason: 'not needed any more' } }),
  'plan.closeFolder': (t) => ({ params: { id: t.place }, body: { on: today } }),
  'plan.recordEvent': (t) => ({ params: { id: t.place }, body: { type: 'y', on: today } }),
  'plan.setRule': (t, c) => ({ params: { id: t.place }, body: { ruleId: c.rule } }),
  'plan.unsetRule': (t, c) => ({ params: { id: t.place }, body: { ruleId: c.rule } }),
  'plan.declareInside': (t) => ({ params: { id: t.place } }),
  'stencils.make': () => ({ body: { subject: 'S', title: 'New', note: '', definition: { asks: [], roles: [], root: stencilFolder } } }),
  'stencils.change': (_, c) => ({
    params: { id: c.stencil },
    body: { subject: 'S', title: 'Other', note: '', revision: 1, definition: { asks: [], roles: [], root: stencilFolder } },
  }),
  'stencils.apply': (t, c) => ({ params: { id: c.stencil }, body: { placeId: t.place, uses: [{ title: 'One' }], dryRun: false } }),
  'stencils.applyTo': (t, c) => ({ params: { id: c.stencil }, body: { placeIds: [t.place], dryRun: false } }),
  'stencils.nameRoles': (t) => ({ params: { id: t.place }, body: { roles: {}, dryRun: false } }),
  'stencils.bring': (t, c) => ({ params: { id: c.stencil }, body: { placeIds: [t.place], dryRun: false } }),
  'schedule.makeRule': () => ({ body: { code: 'R-NEW', definition: ruleDefinition() } }),
  'schedule.saveDraft': (_, c) => ({ params: { id: c.rule }, body: { revision: 3, definition: ruleDefinition() } }),
  'schedule.dropDraft': (_, c) => ({ params: { id: c.rule }, body: { revision: 3 } }),
  'schedule.publish': (_, c) => ({ params: { id: c.rule }, body: { revision: 3, inForceFrom: today, takesOver: 'all' } }),
  'schedule.withdrawVersion': (_, c) => ({ params: { id: c.announced, version: '1' }, body: { reason: 'A typo in it.' } }),
  'schedule.setPair': (t, c) => ({ body: { recordType: 'note', seriesId: t.series, ruleId: c.rule } }),
  'schedule.unsetPair': (t, c) => ({ body: { recordType: 'note', seriesId: t.series, ruleId: c.rule } }),
  'schedule.addCriteriaRule': (_, c) => ({ body: { ruleId: c.rule, criteria: { op: 'fact', fact: 'topic', value: 'other' } } }),
  'schedule.changeCriteriaRule': (_, c) => ({
    params: { id: c.byCriteria },
    body: { criteria: { op: 'fact', fact: 'topic', value: 'other' } },
  }),
  'schedule.moveCriteriaRule': (_, c) => ({ params: { id: c.byCriteria }, body: { order: 2 } }),
  'schedule.dropCriteriaRule': (_, c) => ({ params: { id: c.byCriteria } }),
  'schedule.makeJurisdiction': () => ({ body: { name: 'New shore', partOf: null } }),
  'schedule.moveJurisdiction': (_, c) => ({ body: { name: c.jurisdiction, partOf: null } }),
  'schedule.dropJurisdiction': (_, c) => ({ body: { name: c.jurisdiction } }),
  'schedule.setCalendar': (_, c) => ({
    body: { name: c.jurisdiction, weekend: [6, 7], holidays: [{ on: '2026-12-25', name: 'Christmas' }], dryRun: false },
  }),
  'schedule.dropCalendar': (_, c) => ({ body: { name: c.worked } }),
  'schedule.makeEventType': () => ({ body: { name: 'New event' } }),
  'schedule.dropEventType': () => ({ body: { name: 'spare' } }),
  'schedule.setNamedYear': () => ({ body: { name: 'New year', ends: ['2026-06-30'] } }),
  'schedule.dropNamedYear': (_, c) => ({ body: { name: c.namedYear } }),
  'schedule.placeJurisdictions': (t, c) => ({ params: { id: t.place }, body: { revision: 1, jurisdictions: [c.jurisdiction] } }),
  'schedule.override': (t) => ({
    body: { ids: [t.record], override: { kind: 'date', dueOn: '2090-01-01', action: 'destroy' }, reason: 'for long' },
  }),
  'schedule.importSchedule': () => ({
    body: {
      format: 'csv',
      data: Buffer.from('code,title,authority,clock,steps\nR-T,T,Board,created,destroy P1Y\n').toString('base64'),
      dryRun: false,
    },
  }),
  'schedule.addRecordEvent': (t) => ({ params: { id: t.record }, body: { type: 'y', on: today } }),
  'schedule.withdrawEvent': (t) => ({ params: { id: t.event }, body: { reason: 'by mistake' } }),
  'schedule.importEvents': () => ({ body: { csv: `place,type,on\nA-01,y,${today}\n`, dryRun: false } }),
  'schedule.cancelJob': (_, c) => ({ params: { id: c.job } }),
  'receiving.file': (t) => ({
    body: {
      filings: [{ arrivalId: t.arrival, title: 'Filed', recordType: 'note', placeId: t.place, createdOn: today, facts: { topic: 'x' } }],
    },
  }),
  'receiving.discard': (t) => ({ params: { id: t.arrival } }),
  'receiving.describePhysical': (t, c) => ({
    body: { title: 'A box of maps', recordType: 'note', placeId: t.place, createdOn: today, facts: { topic: 'x' }, containerId: c.box },
  }),
  'receiving.upload': (t) => ({ query: { name: 'x.txt', place: t.place } }),
  'records.makeNumbering': () => ({ body: { title: 'New', pattern: '{year}-{nnn}', per: ['year'], gapless: true } }),
  'records.changeNumbering': (_, c) => ({
    params: { id: c.numbering },
    body: { title: 'Other', pattern: '{year}-{nnn}', per: ['year'], gapless: true, revision: 1 },
  }),
  'records.dropNumbering': (_, c) => ({ params: { id: c.numbering }, body: { revision: 1 } }),
  'records.splitSeries': (t) => ({
    params: { id: t.series },
    body: {
      revision: 1,
      parts: [{ code: 'PART', title: 'Part', which: { by: 'list', folderIds: [t.other], numbers: [] } }],
      reason: 'a reason',
      dryRun: false,
    },
  }),
  'records.placeNumbering': (t, c) => ({ params: { id: t.place }, body: { revision: 1, numberingId: c.numbering } }),
  'records.editFacts': (t) => ({ params: { id: t.record }, body: { revision: 1, title: 'Other', createdOn: today, facts: {} } }),
  'records.addVersion': (t) => ({ params: { id: t.record }, body: { arrivalId: t.arrival } }),
  'records.move': (t) => ({ body: { ids: [t.record], placeId: t.other, reason: 'belongs there', dryRun: false } }),
  'records.declare': (t) => ({ body: { ids: [t.record] } }),
  'records.revoke': (t) => ({ body: { ids: [t.declared], reason: 'by mistake' } }),
  'setup.makeType': () => ({ body: { code: 'new', title: 'New', facts: [] } }),
  'setup.changeType': (_, c) => ({ params: { code: c.type }, body: { title: 'Other', facts: [], version: 1, dryRun: false } }),
  'setup.retireType': (_, c) => ({ params: { code: c.type }, body: { retired: true } }),
  'setup.makeEntity': () => ({ body: { kind: 'party', name: 'New party' } }),
  'setup.changeEntity': (t) => ({ params: { id: t.entity }, body: { name: 'Other party', revision: 1, retired: false } }),
  'setup.addEntityEvent': (t) => ({ params: { id: t.entity }, body: { type: 'y', on: today } }),
  'setup.placeFacts': (t) => ({ params: { id: t.place }, body: { revision: 1, facts: {} } }),
  'setup.placeTakes': (t) => ({ params: { id: t.place }, body: { revision: 1, takes: null } }),
  'setup.makeDetector': () => ({ body: { title: 'New', note: '', signs: [{ kind: 'words', words: ['quay'], atLeast: 1 }] } }),
  'setup.changeDetector': (_, c) => ({
    params: { id: c.detector },
    body: { title: 'Other', note: '', signs: [{ kind: 'words', words: ['quay'], atLeast: 1 }], revision: 1, retired: false },
  }),
  'holds.makeMatter': () => ({ body: { code: 'NEW', title: 'New', kind: 'case' } }),
  'holds.placeHold': (t, c) => ({ body: { matterId: c.matter, name: 'New', reason: 'a reason', recordIds: [t.record] } }),
  'holds.addRecords': (t) => ({ params: { id: t.hold }, body: { recordIds: [t.record] } }),
  'holds.letOut': (t) => ({ params: { id: t.hold }, body: { recordIds: [t.held], reason: 'not part of it' } }),
  'holds.release': (t) => ({ params: { id: t.hold }, body: { reason: 'the case is closed' } }),
  'holds.acknowledge': (t) => ({ params: { id: t.hold } }),
  'holds.remind': (t) => ({ params: { id: t.hold } }),
  'docket.propose': (t) => ({ body: { groupKey: t.groupKey, noticeDays: 14, announce: false } }),
  'docket.announce': (t) => ({ params: { id: t.batch } }),
  'docket.object': (t) => ({ params: { id: t.batch }, body: { recordId: t.item, reason: 'not this one' } }),
  'docket.answer': (t) => ({ params: { id: t.objection }, body: { keep: false, answer: 'it goes on' } }),
  'docket.defer': (t) => ({ params: { id: t.batch }, body: { recordId: t.item, until: '2027-01-01', reason: 'not yet' } }),
  'docket.approve': (t) => ({ params: { id: t.batch }, body: {} }),
  'docket.reject': (t) => ({ params: { id: t.batch }, body: { reason: 'not so' } }),
  'docket.withdraw': (t) => ({ params: { id: t.batch }, body: { reason: 'not so' } }),
  'docket.execute': (t) => ({ params: { id: t.batch } }),
  'docket.confirm': (t) => ({
    params: { id: t.batch },
    body: { recordIds: [t.item], on: today, method: 'shredded', witness: 'A. Witness' },
  }),
  'steps.answer': (t) => ({ body: { ids: [t.task], answer: 'keep' } }),
  'steps.sweep': () => ({}),
  'steps.recompute': () => ({ body: { dryRun: true } }),
  'ledger.seal': () => ({}),
  'fixity.schedule': () => ({ body: { days: 60, megabytesPerSecond: 10 } }),
  'ledger.changeKey': () => ({ body: { why: 'a year has passed' } }),
  'identity.moveClock': () => ({ body: { to: '2026-09-15' } }),
  'identity.endSession': (_, _c, world) => ({ params: { id: world.ids.root } }),
  'identity.readMessage': (_, _c, world) => ({ params: { id: world.ids.root } }),
};

const stencilFolder = bareFolder('root', 'S-{nn}', 'Made');

/** Acts that nobody needs a right for, each with why: known by name, so that another cannot slip in. */
export const free: readonly string[] = [
  'identity.makeFirstKeeper',
  'identity.signIn',
  'identity.signOut',
  'identity.endOtherSessions',
  'identity.setLanguage',
  'identity.beginSecond',
  'identity.confirmSecond',
  'identity.newCodes',
  'identity.endSecond',
  'identity.chooseMail',
  'identity.forgot',
  'federation.begin',
  'federation.finish',
  'federation.giveCode',
  'federation.unlink',
  'steps.answerLetter',
  'people.accept',
  'people.changePassword',
  'passes.open',
];

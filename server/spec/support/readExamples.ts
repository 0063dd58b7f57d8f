import type { Right } from '@key-cellar/core/access';
import type { Example } from './actExamples.js';
import type { Common, Things } from './actWorld.js';
import { today } from './world.js';

/** What a reading takes; all that is said has to be there. */
export interface Reading {
  readonly given?: (t: Things, c: Common) => Example;
  /** Rights on the repository as a whole: 403 without one of them. */
  readonly atRoot?: readonly Right[];
  /** Rights that are enough wherever somebody has one of them: 403 without, or 404 where the thing is not told of. */
  readonly somewhere?: readonly Right[];
  readonly hidesWithout?: true;
  /** The access set of which it is asked: of the folder, or of its series. */
  readonly of?: 'folder' | 'series';
  /** Rights of which one is enough to know of it: 404 without. */
  readonly see?: readonly Right[];
  /** Rights of which one is enough to be told: 403 without. */
  readonly may?: readonly Right[];
}

const discover = ['discover'] as const;
/** Places are known to who may put something there, too. */
const place = { given: (t: Things) => ({ params: { id: t.place } }), of: 'folder', see: ['discover', 'deposit'] } as const;
const record = { given: (t: Things) => ({ params: { id: t.record } }), of: 'folder', see: discover } as const;
const rule = (_: Things, c: Common): Example => ({ params: { id: c.rule } });
const open: Reading = {};
const edits = { somewhere: ['edit'] } as const;
const signs = { somewhere: ['audit', 'dispose', 'hold'] } as const;
const keeps = { atRoot: ['dispose'] } as const;
const setsUp = { atRoot: ['setUp'] } as const;
const people = { atRoot: ['people'] } as const;
const connects = { atRoot: ['connect'] } as const;
const looksIn = { somewhere: ['grant', 'audit'] } as const;

/** Readings that nobody has to be signed in for, that answer in a stream, or that need a sealed tree: each has a spec of its own. */
export const apart: readonly string[] = [
  'identity.entrance',
  'steps.letter',
  'ledger.export',
  'ledger.verify',
  'ledger.head',
  'people.invitation',
  'federation.ways',
  'passes.door',
  'passes.shown',
  'passes.pages',
];

/** Every other reading, with a request for it and what it takes. One without a line here fails the spec. */
export const readings: Readonly<Record<string, Reading>> = {
  'identity.sessions': open,
  'identity.me': open,
  'identity.people': open,
  'identity.messages': open,
  'identity.secondFactor': open,
  'identity.mailChoices': open,
  'federation.links': open,
  'federation.providers': setsUp,
  'programs.list': connects,
  'federation.tryProvider': { ...setsUp, given: () => ({ body: { issuer: 'http://127.0.0.1:9' } }) },
  'plan.outline': { given: () => ({ query: { folders: 'true' } }) },
  'plan.folders': { given: (t) => ({ params: { id: t.series } }) },
  'plan.rack': open,
  'plan.place': place,
  'records.exportList': { given: () => ({ query: { format: 'csv' } }) },
  'plan.exportPlan': { given: () => ({ query: { format: 'csv' } }) },
  'plan.placesByCode': { given: (t) => ({ query: { code: t.seriesCode } }), of: 'series', see: discover },
  'stencils.list': edits,
  'stencils.stencil': { ...edits, given: (_, c) => ({ params: { id: c.stencil } }) },
  'stencils.compare': { ...edits, given: (_, c) => ({ params: { id: c.stencil }, query: { from: '1', to: '1' } }) },
  'stencils.fromFolder': { ...keeps, given: (t) => ({ body: { placeId: t.place } }), of: 'folder', see: discover },
  'stencils.readUses': {
    ...edits,
    given: (_, c) => ({ params: { id: c.stencil }, body: { format: 'csv', data: Buffer.from('title\nOne\n').toString('base64') } }),
  },
  'schedule.rules': open,
  'schedule.rule': { given: rule },
  'schedule.pairs': open,
  'schedule.criteriaRules': open,
  'schedule.countCriteria': { given: () => ({ body: { criteria: { op: 'fact', fact: 'topic', value: 'acts' } } }) },
  'schedule.jurisdictions': open,
  'schedule.calendar': { given: (_, c) => ({ query: { name: c.worked } }) },
  'schedule.eventTypes': open,
  'schedule.namedYears': open,
  'schedule.ruleReach': { given: rule },
  'schedule.ruleOnDay': { ...record, given: (t) => ({ params: { id: t.record }, query: { on: today } }) },
  'schedule.exportSchedule': { given: () => ({ query: { format: 'csv' } }) },
  'schedule.ruleCases': { ...keeps, given: rule },
  'schedule.recordCase': { ...keeps, ...record },
  'schedule.effect': { ...keeps, given: () => ({ body: { change: { kind: 'nothing' } } }) },
  'schedule.check': keeps,
  'schedule.waiting': { somewhere: discover },
  'schedule.placeEvents': { ...place, see: discover },
  'schedule.recordEvents': record,
  'schedule.job': { ...keeps, hidesWithout: true, given: (_, c) => ({ params: { id: c.job } }) },
  'criteria.vocabulary': open,
  'receiving.list': open,
  'receiving.preview': {
    given: (t) => {
      const filing = { arrivalId: t.arrival, title: 'T', recordType: 'note', placeId: t.place, createdOn: today, facts: { topic: 'x' } };
      return { body: { filings: [filing] } };
    },
  },
  'receiving.pages': { given: (t) => ({ params: { id: t.arrival } }), of: 'folder', see: ['dispose'] },
  'receiving.containers': { somewhere: ['deposit'] },
  'records.numberings': open,
  'records.factValues': {
    given: (t) => ({ params: { id: t.series }, query: { fact: 'topic' } }),
    of: 'series',
    see: ['discover', 'deposit'],
  },
  'records.types': open,
  'records.list': { given: () => ({ query: { limit: '200' } }) },
  'records.count': open,
  'records.ids': open,
  'records.dossier': record,
  'records.pages': record,
  'setup.types': open,
  'setup.type': { given: (_, c) => ({ params: { code: c.type } }) },
  'setup.entities': { somewhere: discover, given: () => ({ query: { kind: 'party' } }) },
  'setup.entity': { somewhere: discover, hidesWithout: true, given: (t) => ({ params: { id: t.entity } }) },
  'setup.options': { given: () => ({ query: { kind: 'party', text: 'Party' } }) },
  'setup.names': { given: (t) => ({ body: { ids: [t.entity, t.record] } }) },
  'setup.detectors': signs,
  'setup.unread': signs,
  'setup.tryDetector': {
    ...signs,
    given: () => ({ body: { signs: [{ kind: 'words', words: ['thing'], atLeast: 1 }], numbers: ['A-01/2026/0001'], some: 20 } }),
  },
  'holds.matters': signs,
  'holds.hold': { given: (t) => ({ params: { id: t.hold } }), of: 'folder', see: ['hold', 'audit'] },
  'holds.countScope': { atRoot: ['hold'], given: () => ({ body: { criteria: { op: 'fact', fact: 'topic', value: 'acts' } } }) },
  'docket.due': open,
  'docket.batches': open,
  'docket.batch': { given: (t) => ({ params: { id: t.batch } }), of: 'folder', see: discover },
  'steps.tasks': open,
  'steps.ofRecord': record,
  'steps.preview': keeps,
  'ledger.entries': { atRoot: ['audit'], given: () => ({ query: { limit: '200' } }) },
  'ledger.acts': { atRoot: ['audit'] },
  'ledger.state': { atRoot: ['audit'] },
  'fixity.state': { atRoot: ['audit'] },
  'reports.needs': open,
  'reports.outside': connects,
  'reports.today': open,
  'reports.ask': { given: () => ({ query: { text: 'thing' } }) },
  'access.acts': open,
  'access.matrix': { ...looksIn, given: () => ({ query: { all: 'true' } }) },
  'access.compare': {
    given: (t, c) => ({ body: { spots: [{ personId: c.person, placeId: t.place }] } }),
    of: 'folder',
    see: discover,
    may: ['grant', 'audit'],
  },
  'access.reach': { given: (t) => ({ query: { recordId: t.record } }), of: 'folder', see: discover, may: ['grant', 'audit'] },
  'access.reachOf': { ...looksIn, given: (_, c) => ({ params: { id: c.person } }) },
  'access.findings': looksIn,
  'access.profiles': open,
  'access.raises': open,
  'access.reviews': open,
  'access.review': { given: (t) => ({ params: { id: t.review } }), of: 'folder', see: ['grant', 'audit'] },
  'access.reviewTable': { given: (t) => ({ params: { id: t.review }, query: { format: 'csv' } }), of: 'folder', see: ['grant', 'audit'] },
  'access.markings': looksIn,
  'access.grantsOnRecord': { ...record, may: ['grant', 'audit', 'dispose'] },
  'tags.list': looksIn,
  'tags.page': { ...looksIn, given: (_, c) => ({ params: { id: c.tag } }) },
  'people.list': people,
  'people.person': { ...people, given: (_, c) => ({ params: { id: c.person } }) },
  'people.sessionLimits': setsUp,
  'people.mail': connects,
  'people.grantsOn': { ...place, see: discover, may: ['grant', 'audit', 'dispose'] },
  'passes.list': open,
  'exchange.kits': { ...keeps, given: () => ({ query: { language: 'en' } }) },
  'exchange.exportKit': { ...keeps, given: () => ({ params: { kit: 'club' }, query: { language: 'en' } }) },
  'exchange.exportPackage': keeps,
  'exchange.exportTable': { ...keeps, given: () => ({ params: { section: 'rules' }, query: { format: 'json' } }) },
  'exchange.packageSchema': open,
};

import type { RuleDefinition } from '@key-cellar/contract';

type Trigger = RuleDefinition['trigger'];
type Cutoff = RuleDefinition['cutoff'];
type Step = RuleDefinition['steps'][number];

const created: Trigger = { kind: 'recordDate', date: 'created' };
const filed: Trigger = { kind: 'recordDate', date: 'filed' };
const received: Trigger = { kind: 'recordDate', date: 'received' };
const modified: Trigger = { kind: 'recordDate', date: 'modified' };
const declared: Trigger = { kind: 'recordDate', date: 'declared' };
const closed: Trigger = { kind: 'folderClosed' };
const never: Trigger = { kind: 'never' };
const fact = (name: string): Trigger => ({ kind: 'fact', fact: name });
type Simple = Exclude<Trigger, { kind: 'never' | 'earliest' | 'latest' }>;
const earliest = (...of: readonly (readonly [Trigger, string])[]): Trigger => ({
  kind: 'earliest',
  of: of.map(([trigger, after]) => ({ trigger: trigger as Simple, after })),
});
const event = (eventType: string, occurrence: 'first' | 'last' = 'last'): Trigger => ({ kind: 'event', eventType, occurrence });

const none: Cutoff = { kind: 'none' };
const month: Cutoff = { kind: 'month' };
const quarter: Cutoff = { kind: 'quarter' };
const year: Cutoff = { kind: 'calendarYear' };
const boardTerm: Cutoff = { kind: 'namedYear', name: 'Board term' };
const fiscal: Cutoff = { kind: 'fiscalYear', firstMonth: 4, firstDay: 1 };

const base = { from: 'clockStart', approvals: 1, noticeDays: 14 } as const;
const destroy = (after: string, changes: Partial<Step> = {}): Step => ({ ...base, kind: 'destroy', after, ...changes });
const transfer = (after: string): Step => ({ ...base, kind: 'transfer', after, approvals: 2, noticeDays: 30 });
const review = (after: string): Step => ({ ...base, kind: 'review', after, noticeDays: 0 });
const keep: Step = { ...base, kind: 'keepPermanently', after: 'P0D', approvals: 0, noticeDays: 0 };
const step = (kind: Step['kind'], after: string, changes: Partial<Step> = {}): Step => ({
  ...base,
  kind,
  after,
  approvals: 0,
  noticeDays: 0,
  ...changes,
});

export interface DemoRule {
  readonly code: string;
  readonly definition: RuleDefinition;
  /** Earlier versions, oldest first, with the day they came into force. */
  readonly before?: readonly {
    readonly inForceFrom: string;
    readonly definition: Partial<RuleDefinition>;
    readonly takesOver?: 'laterClocks';
  }[];
  readonly inForceFrom?: string;
  readonly takesOver?: 'all' | 'laterClocks';
  readonly draft?: Partial<RuleDefinition>;
}

const compact = (article: string): string => `Sound Compact, ${article}`;
const privacy = (article: string): string => `Sound Privacy Code, art. ${article}`;
const north = (section: string): string => `Northshore Records Order, s. ${section}`;
const south = (section: string): string => `Southshore Archives Code, § ${section}`;
const board = (no: string): string => `Board resolution ${no}`;

function rule(
  code: string,
  title: string,
  authority: string,
  trigger: Trigger,
  cutoff: Cutoff,
  steps: Step[],
  more: Omit<DemoRule, 'code' | 'definition'> & { in?: string[]; says?: Pick<RuleDefinition, 'basis' | 'suspension'> } = {},
): DemoRule {
  const { in: jurisdictions = [], says = {}, ...rest } = more;
  return { code, definition: { title, authority, jurisdictions, trigger, cutoff, ...says, steps }, ...rest };
}

/** The schedule of the harbour: every trigger, cutoff and step kind occurs. */
export const rules: readonly DemoRule[] = [
  rule('R-HAR-1', 'Port call papers', compact('art. 11'), created, year, [destroy('P7Y')]),
  rule('R-HAR-2', 'Berth orders', compact('art. 11'), created, month, [destroy('P3Y')]),
  rule('R-HAR-3', 'Harbour master’s orders', compact('art. 3'), never, none, [keep]),
  rule('R-HAR-4', 'Radio watch recordings', compact('art. 14'), received, none, [destroy('P63D', { noticeDays: 7, workingDays: true })]),
  rule('R-HAR-5', 'Daily state of the harbour', board('2011/4'), created, quarter, [step('trimVersions', 'P6M'), destroy('P5Y')]),
  rule('R-PIL-1', 'Pilotage logs, bound', compact('art. 17'), created, year, [review('P8Y'), destroy('P10Y', { approvals: 2 })]),
  rule('R-PIL-2', 'Pilotage orders and slips', compact('art. 18'), created, year, [destroy('P7Y')], {
    before: [{ inForceFrom: '2005-01-01', definition: { steps: [destroy('P5Y')] } }],
    inForceFrom: '2016-01-01',
  }),
  rule('R-PIL-3', 'Pilots’ licences', compact('art. 16'), fact('expires'), none, [
    step('askOwner', 'P1Y', { repeatEvery: 'P30D' }),
    destroy('P6Y'),
  ]),
  rule('R-PIL-4', 'Pilot statements', compact('art. 22'), created, year, [step('declare', 'P0D'), destroy('P15Y', { approvals: 2 })]),
  rule('R-BER-1', 'Berth leases', compact('art. 30'), event('lease ended'), year, [
    step('askOwner', 'P5Y', { repeatEvery: 'P30D' }),
    destroy('P7Y'),
  ]),
  rule('R-BER-1N', 'Berth leases, north shore', north('41'), event('lease ended'), year, [destroy('P10Y')], { in: ['Northshore'] }),
  rule('R-BER-1S', 'Berth leases, south shore', south('12'), event('lease ended'), year, [destroy('P6Y')], { in: ['Southshore'] }),
  rule('R-BER-3', 'Mooring inspections', compact('art. 33'), created, year, [destroy('P9Y')]),
  rule('R-BER-4', 'Berth allocation lists', board('2014/9'), modified, none, [step('move', 'P6M', { to: 'PAST' }), destroy('P2Y')]),
  rule('R-DRG-1', 'Dredging permits', compact('art. 40'), fact('expires'), none, [transfer('P9Y')]),
  rule('R-DRG-2', 'Works contracts', compact('art. 41'), event('contract ended'), fiscal, [
    review('P6Y'),
    destroy('P8Y', { approvals: 2, noticeDays: 21 }),
  ]),
  rule('R-DRG-3', 'Sounding sheets and chart rolls', compact('art. 9'), never, none, [keep]),
  rule('R-DRG-4', 'Site diaries', board('2009/2'), closed, year, [destroy('P6Y')]),
  rule('R-DRG-5', 'Tenders not taken', north('18'), created, fiscal, [destroy('P3Y')]),
  rule('R-DRG-6', 'Spoil ground returns', compact('art. 44'), created, year, [transfer('P12Y')]),
  rule('R-ENV-1', 'Water samples', compact('art. 50'), created, year, [destroy('P15Y')]),
  rule('R-ENV-2', 'Spill reports', compact('art. 51'), event('inquiry closed'), year, [transfer('P20Y')]),
  rule('R-ENV-3', 'Noise and dust readings', south('31'), created, quarter, [destroy('P4Y')], { in: ['Southshore'] }),
  rule('R-ENV-3N', 'Noise and dust readings, north', north('77'), created, quarter, [destroy('P6Y')], { in: ['Northshore'] }),
  rule('R-ENV-4', 'Tide-gauge calibrations', compact('art. 52'), created, year, [destroy('P10Y', { approvals: 2, noticeDays: 21 })]),
  rule('R-SAF-1', 'Inquiry files', compact('art. 22'), event('inquiry closed'), year, [review('P10Y'), transfer('P20Y')], {
    says: { suspension: { stops: 'appeal lodged', resumes: 'appeal decided' } },
  }),
  rule('R-SAF-2', 'Near misses, south shore', south('9'), event('inquiry closed'), year, [destroy('P6Y')], { in: ['Southshore'] }),
  rule('R-SAF-3', 'Fairway notices', compact('art. 24'), created, year, [destroy('P6Y', { noticeDays: 21 })]),
  rule(
    'R-SAF-4',
    'Near misses',
    compact('art. 22'),
    event('inquiry closed'),
    year,
    [step('askOwner', 'P7Y', { repeatEvery: 'P30D' }), destroy('P10Y')],
    {
      before: [
        { inForceFrom: '2008-01-01', definition: { steps: [destroy('P5Y')] } },
        { inForceFrom: '2015-07-01', definition: { steps: [destroy('P8Y')] }, takesOver: 'laterClocks' },
      ],
      inForceFrom: '2021-02-01',
      draft: { steps: [step('askOwner', 'P8Y', { repeatEvery: 'P30D' }), destroy('P12Y')] },
    },
  ),
  rule('R-SAF-5', 'Drills and musters', board('2012/6'), created, year, [destroy('P5Y')]),
  rule('R-FIN-1', 'Annual accounts', compact('art. 60'), never, none, [keep]),
  rule('R-FIN-2', 'Service invoices', compact('art. 61'), created, year, [destroy('P10Y', { approvals: 2, noticeDays: 21 })]),
  rule('R-FIN-3', 'Dues and tariffs', compact('art. 62'), { kind: 'recordDate', date: 'superseded' }, fiscal, [destroy('P7Y')]),
  rule('R-FIN-4', 'Bank and cash', north('12'), created, fiscal, [destroy('P6Y')]),
  rule('R-FIN-5', 'Budget papers', board('2010/1'), filed, fiscal, [review('P3Y'), destroy('P1Y', { from: 'previousStep' })]),
  rule('R-PEO-1', 'Personnel files', south('21'), event('person left'), year, [destroy('P7Y')]),
  rule('R-PEO-2', 'Pay runs', compact('art. 63'), created, fiscal, [destroy('P7Y')]),
  rule('R-PEO-3', 'Applications not taken', south('22'), created, month, [destroy('P6M', { noticeDays: 7 })]),
  rule('R-PEO-4', 'Training and certificates', compact('art. 16'), event('person left', 'first'), none, [destroy('P5Y')]),
  rule('R-PEO-5', 'Occupational health', north('90'), event('person left'), year, [destroy('P40Y', { approvals: 2 })]),
  rule('R-GOV-1', 'Board minutes', compact('art. 2'), never, none, [keep]),
  rule('R-GOV-2', 'Policies', board('2013/7'), { kind: 'recordDate', date: 'superseded' }, year, [step('route', 'P1Y'), transfer('P10Y')]),
  rule('R-GOV-3', 'Complaints', north('55'), earliest([closed, 'P0D'], [created, 'P20Y']), year, [destroy('P6Y')]),
  rule('R-GOV-4', 'Visitors and press', board('2013/8'), { kind: 'recordDate', date: 'lastUsed' }, none, [
    step('move', 'P1Y', { to: 'PAST' }),
    destroy('P3Y'),
  ]),
  rule('R-GOV-5', 'Declared agreements', compact('art. 4'), declared, boardTerm, [transfer('P25Y')]),
  rule('R-GOV-6', 'What the board has no rule for', board('2013/9'), created, year, [review('P8Y'), destroy('P10Y')]),
  rule('R-PEO-6', 'Grievances', south('24'), created, year, [review('P5Y'), destroy('P12Y', { approvals: 2 })]),
  rule('R-SAF-6', 'Unsafe berths and marks', compact('art. 25'), created, year, [transfer('P30Y')]),
  rule('R-SAF-7', 'Inquiries with a loss of cargo', compact('art. 23'), event('inquiry closed'), year, [transfer('P30Y')]),
  rule('R-ENV-5', 'Readings from before the compact', compact('art. 53'), created, none, [transfer('P25Y')], { in: ['Tarrin Sound'] }),
  rule('R-PRV-1', 'Health data of people, at most', privacy('7'), created, year, [destroy('P15Y')], {
    says: { basis: 'atMost' },
  }),
  rule('R-VES-1', 'Harbour craft papers', compact('art. 19'), event('vessel scrapped'), year, [destroy('P10Y')]),
];

/** Jurisdictions, each with the wider one that it is part of. */
export const jurisdictions: readonly (readonly [string, string | null])[] = [
  ['Tarrin Sound', null],
  ['Northshore', 'Tarrin Sound'],
  ['Southshore', 'Tarrin Sound'],
];

/** Days that are worked on the south shore: its code counts working days, and it keeps three days of its own. */
export const calendars: Readonly<Record<string, { weekend: number[]; holidays: { on: string; name: string }[] }>> = {
  Southshore: {
    weekend: [6, 7],
    holidays: Array.from({ length: 12 }, (_, i) => 2020 + i).flatMap((y) => [
      { on: `${y}-01-01`, name: 'New Year' },
      { on: `${y}-05-03`, name: 'Compact Day' },
      { on: `${y}-08-04`, name: 'Day of the Sound' },
      { on: `${y}-12-21`, name: 'Midwinter' },
    ]),
  },
};

/** The last days of the terms of the board. */
export const namedYears: Readonly<Record<string, readonly string[]>> = {
  'Board term': ['2002', '2006', '2010', '2014', '2018', '2022', '2026', '2030'].map((y) => `${y}-06-30`),
};

/** What can be recorded, besides what rules wait for. */
export const eventTypes = [
  'appeal decided',
  'appeal lodged',
  'contract ended',
  'inquiry closed',
  'lease ended',
  'person left',
  'vessel scrapped',
  'vessel sold',
] as const;

/** Rules set elsewhere than on a series. */
export const rulesOnPlaces: readonly { readonly rule: string; readonly node?: string; readonly folder?: readonly [string, string] }[] = [
  { rule: 'R-GOV-6', node: 'GOV' },
  { rule: 'R-SAF-7', folder: ['PIL-03', 'Q-22'] },
];
export const rulesForPairs = [{ rule: 'R-PEO-6', recordType: 'personnel', series: 'PEO-07' }] as const;
export const rulesByCriteria = [
  {
    rule: 'R-SAF-6',
    criteria: 'record type is Inspection report and finding is unsafe',
    note: 'Wherever an inspector found a berth or a mark unsafe, its report goes to the archive.',
  },
  {
    rule: 'R-ENV-5',
    criteria: 'under ENV and record type is Reading or sample and created before 2014',
    note: 'The sound measured differently then; the readings are kept for comparison.',
  },
] as const;

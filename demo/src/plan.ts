import type { FactDefinition } from '@key-cellar/core/records';

const text = (code: string, title: string, required = false, dublinCore?: FactDefinition['dublinCore']): FactDefinition => ({
  code,
  title,
  kind: 'text',
  required,
  dublinCore,
});
const date = (code: string, title: string, required = false): FactDefinition => ({ code, title, kind: 'date', required });
const whole = (code: string, title: string, required = false): FactDefinition => ({ code, title, kind: 'whole', required });
const choice = (code: string, title: string, choices: string[], required = false): FactDefinition => ({
  code,
  title,
  kind: 'choice',
  required,
  choices,
});

/** A party or business object, by its name here; the loader makes it. */
const pointing = (
  kind: 'party' | 'object',
  code: string,
  title: string,
  required = false,
  dublinCore?: FactDefinition['dublinCore'],
): FactDefinition => ({
  code,
  title,
  kind,
  required,
  dublinCore,
});

const vessel = text('vessel', 'Vessel', true, 'subject');
const berth = text('berth', 'Berth', true, 'coverage');
/** The voyage a paper belongs to, by its number in Tidebook. */
const call = text('call', 'Port call', false, 'relation');
const author = text('author', 'Author', false, 'creator');

/** Record types with their facts. */
export const recordTypes = {
  letter: {
    title: 'Letter',
    facts: [text('correspondent', 'Correspondent', true, 'contributor'), choice('direction', 'Direction', ['in', 'out'], true)],
  },
  log: { title: 'Log', facts: [author, whole('volume', 'Volume')] },
  order: { title: 'Order or slip', facts: [vessel, text('order', 'Order number', true, 'identifier'), call] },
  statement: { title: 'Statement', facts: [vessel, text('pilot', 'Pilot', true, 'creator')] },
  licence: { title: 'Licence', facts: [text('holder', 'Holder', true), date('expires', 'Expires', true)] },
  lease: { title: 'Lease', facts: [berth, pointing('party', 'tenant', 'Tenant', true, 'contributor'), date('begins', 'Begins')] },
  inspection: { title: 'Inspection report', facts: [berth, choice('finding', 'Finding', ['sound', 'worn', 'unsafe'], true), author] },
  permit: { title: 'Permit', facts: [text('holder', 'Holder', true), date('expires', 'Expires', true), whole('volume', 'Volume, m³')] },
  contract: {
    title: 'Contract paper',
    facts: [text('contract', 'Contract', true, 'relation'), pointing('party', 'contractor', 'Contractor', true, 'contributor')],
  },
  sheet: { title: 'Sheet or drawing', facts: [text('area', 'Area', true, 'coverage'), text('scale', 'Scale')] },
  reading: { title: 'Reading or sample', facts: [text('station', 'Station', true, 'coverage'), text('instrument', 'Instrument')] },
  report: {
    title: 'Report',
    facts: [author, text('area', 'Area', false, 'coverage'), pointing('object', 'craft', 'Craft', false, 'subject')],
  },
  notice: { title: 'Notice', facts: [text('area', 'Area', true, 'coverage')] },
  invoice: { title: 'Invoice', facts: [text('customer', 'Customer', true), whole('amount', 'Amount, crowns', true), call] },
  account: { title: 'Account paper', facts: [text('period', 'Period', true)] },
  minutes: { title: 'Minutes', facts: [text('body', 'Body', true, 'creator')] },
  personnel: { title: 'Personnel paper', facts: [text('person', 'Person', true, 'subject')] },
  policy: { title: 'Policy', facts: [author] },
} satisfies Record<string, { title: string; facts: FactDefinition[] }>;
export type RecordTypeCode = keyof typeof recordTypes;

/** How the folders of a series are made. */
export type Folders = 'none' | 'years' | 'leases' | 'contracts' | 'inquiries' | 'staff' | 'craft';

export interface DemoSeries {
  readonly code: string;
  readonly title: string;
  readonly rules: readonly string[];
  readonly type: RecordTypeCode;
  readonly count: number;
  readonly from: number;
  readonly to: number;
  readonly folders?: Folders;
  /** Share of records that lie on paper. */
  readonly physical?: number;
  /** Its papers come from Tidebook and are about voyages: which number of the voyage is theirs. */
  readonly tidebook?: 'call' | 'order' | 'invoice';
  /**
   * Titles; {v} vessel, {b} berth, {n} number, {m} month, {p} person, {c} company, {a} area; of a voyage {1} port call,
   * {2} pilotage order, {3} service slip, {4} invoice.
   */
  readonly titles: readonly string[];
  readonly owner: string;
}
export interface DemoActivity {
  readonly code: string;
  readonly title: string;
  readonly series: readonly DemoSeries[];
}
export interface DemoFunction {
  readonly code: string;
  readonly title: string;
  readonly activities: readonly DemoActivity[];
}

const series = (
  code: string,
  title: string,
  rules: string,
  type: RecordTypeCode,
  count: number,
  from: number,
  to: number,
  owner: string,
  titles: string,
  more: Pick<DemoSeries, 'folders' | 'physical' | 'tidebook'> = {},
): DemoSeries => ({ code, title, rules: rules ? rules.split(' ') : [], type, count, from, to, owner, titles: titles.split('|'), ...more });

/** The file plan of the Marrowick Harbour Authority. */
export const functions: readonly DemoFunction[] = [
  {
    code: 'HAR',
    title: 'Harbour operations',
    activities: [
      {
        code: 'HAR.1',
        title: 'Traffic',
        series: [
          series(
            'HAR-01',
            'Port calls',
            'R-HAR-1',
            'order',
            90,
            2019,
            2026,
            'dario',
            'Port call {1}, {v}|Arrival declaration {1}, {v}|Clearance {1}, {v}',
            { tidebook: 'call' },
          ),
          series('HAR-02', 'Berth orders', 'R-HAR-2', 'order', 46, 2023, 2026, 'dario', 'Berth order {n}, {v} to {b}'),
          series('HAR-07', 'Anchorage register', 'R-HAR-1', 'order', 10, 2020, 2026, 'dario', 'Anchorage of the {v}, {a}'),
          series(
            'HAR-03',
            'Harbour master’s orders',
            'R-HAR-3',
            'notice',
            54,
            1998,
            2026,
            'dario',
            'Order {n}: speed in the {a}|Order {n}: anchoring off the {a}|Order {n}: tows through the {a}',
            { physical: 0.3 },
          ),
        ],
      },
      {
        code: 'HAR.2',
        title: 'Watch',
        series: [
          series('HAR-04', 'Radio watch', 'R-HAR-4', 'log', 18, 2026, 2026, 'dario', 'Radio watch, {m}'),
          series('HAR-05', 'State of the harbour', 'R-HAR-5', 'report', 40, 2022, 2026, 'dario', 'State of the harbour, {m}'),
          series('HAR-08', 'Weather and tide bulletins', 'R-HAR-5', 'notice', 10, 2022, 2026, 'dario', 'Bulletin {n}, {a}'),
          series(
            'HAR-06',
            'Harbour craft',
            'R-VES-1',
            'report',
            36,
            2004,
            2026,
            'dario',
            'Survey of the {f}|Refit of the {f}|Papers of the {f}',
            { folders: 'craft' },
          ),
        ],
      },
    ],
  },
  {
    code: 'PIL',
    title: 'Pilotage',
    activities: [
      {
        code: 'PIL.1',
        title: 'Pilotage service',
        series: [
          series('PIL-01', 'Pilotage logs, bound', 'R-PIL-1', 'log', 92, 2015, 2026, 'lune', 'Pilotage log, volume {n}', { physical: 1 }),
          series(
            'PIL-02',
            'Pilotage orders and service slips',
            'R-PIL-2',
            'order',
            140,
            2019,
            2026,
            'lune',
            'Pilotage order {2}, {v}|Service slip {3}, {v}',
            { folders: 'years', tidebook: 'order' },
          ),
          series('PIL-06', 'Pilot boat rosters', 'R-BER-4', 'account', 8, 2025, 2026, 'lune', 'Roster of the pilot boats, {m}'),
          series(
            'PIL-03',
            'Near misses and pilot statements',
            'R-SAF-4 R-SAF-2',
            'statement',
            60,
            2016,
            2026,
            'lune',
            'Pilot’s statement, {v}, {a}|Near miss of {v} at {a}',
            { folders: 'inquiries' },
          ),
        ],
      },
      {
        code: 'PIL.2',
        title: 'Pilots',
        series: [
          series('PIL-04', 'Licences', 'R-PIL-3', 'licence', 34, 2020, 2026, 'lune', 'Licence of {p}'),
          series('PIL-05', 'Examinations', 'R-PIL-4', 'report', 22, 2013, 2026, 'lune', 'Examination of {p}'),
        ],
      },
    ],
  },
  {
    code: 'BER',
    title: 'Berths and leases',
    activities: [
      {
        code: 'BER.1',
        title: 'Leases',
        series: [
          series(
            'BER-01',
            'Berth leases',
            'R-BER-1 R-BER-1N R-BER-1S',
            'lease',
            110,
            2003,
            2026,
            'petra',
            'Lease of {b} to {c}|Amendment {n} to the lease of {b}|Letter on the lease of {b}',
            { folders: 'leases' },
          ),
          series('BER-04', 'Mooring tariffs', '', 'account', 26, 2019, 2026, 'kofi', 'Mooring tariff {y}|Tariff notice {n}'),
        ],
      },
      {
        code: 'BER.2',
        title: 'Upkeep of berths',
        series: [
          series(
            'BER-02',
            'Mooring inspection reports',
            'R-BER-3',
            'inspection',
            110,
            2016,
            2026,
            'petra',
            'Mooring inspection, {b}|Bollard test, {b}',
          ),
          series(
            'BER-06',
            'Hire of cranes and shore power',
            'R-FIN-2',
            'invoice',
            10,
            2017,
            2026,
            'petra',
            'Crane hire {n}, {c}|Shore power {n}, {b}',
          ),
          series('BER-03', 'Fender repairs', 'R-DRG-4', 'report', 30, 2020, 2026, 'petra', 'Fender repair, {b}', { folders: 'years' }),
          series('BER-05', 'Allocation lists', 'R-BER-4', 'account', 20, 2025, 2026, 'dario', 'Allocation of berths, {m}'),
        ],
      },
    ],
  },
  {
    code: 'DRG',
    title: 'Dredging and works',
    activities: [
      {
        code: 'DRG.1',
        title: 'Permits',
        series: [
          series(
            'DRG-01',
            'Dredging permits',
            'R-DRG-1',
            'permit',
            64,
            2018,
            2026,
            'petra',
            'Dredging permit {n}, {a}|Extension of permit {n}',
          ),
          series('DRG-06', 'Spoil ground returns', 'R-DRG-6', 'report', 34, 2010, 2026, 'bertil', 'Spoil return {n}, {a}'),
        ],
      },
      {
        code: 'DRG.2',
        title: 'Contracts',
        series: [
          series(
            'DRG-02',
            'Contract papers',
            'R-DRG-2',
            'contract',
            96,
            2012,
            2026,
            'petra',
            'Contract {k}: progress certificate {n}|Contract {k}: variation {n}|Contract {k}: letter to {c}',
            { folders: 'contracts' },
          ),
          series('DRG-08', 'Method statements', 'R-DRG-5', 'report', 8, 2024, 2026, 'bertil', 'Method statement, {a}'),
          series('DRG-03', 'Tenders not taken', 'R-DRG-5', 'contract', 26, 2023, 2026, 'bertil', 'Tender of {c}'),
          series('DRG-04', 'Site diaries', 'R-DRG-4', 'log', 40, 2020, 2026, 'bertil', 'Site diary, {m}', {
            folders: 'years',
            physical: 0.6,
          }),
        ],
      },
      {
        code: 'DRG.3',
        title: 'Survey',
        series: [
          series(
            'DRG-05',
            'Sounding sheets and chart rolls',
            'R-DRG-3',
            'sheet',
            112,
            1998,
            2026,
            'bertil',
            'Sounding sheet {n}, {a}|Chart roll {n}, {a}',
            { physical: 0.75 },
          ),
          series('DRG-07', 'Survey notes', '', 'report', 24, 2017, 2026, 'bertil', 'Survey note, {a}'),
        ],
      },
    ],
  },
  {
    code: 'ENV',
    title: 'Environment',
    activities: [
      {
        code: 'ENV.1',
        title: 'Water',
        series: [
          series('ENV-01', 'Water samples', 'R-ENV-1', 'reading', 60, 2012, 2026, 'petra', 'Water sample {n}, {a}'),
          series('ENV-06', 'Ballast water declarations', 'R-ENV-1', 'reading', 10, 2014, 2026, 'petra', 'Ballast water of the {v}, {g}'),
          series('ENV-02', 'Spill reports', 'R-ENV-2', 'report', 24, 2008, 2026, 'dario', 'Spill off the {a}', { folders: 'inquiries' }),
          series('ENV-04', 'Tide-gauge calibrations', 'R-ENV-4', 'reading', 110, 2014, 2026, 'bertil', 'Calibration {n}, {g}'),
        ],
      },
      {
        code: 'ENV.2',
        title: 'Air and noise',
        series: [
          series(
            'ENV-03',
            'Noise and dust readings',
            'R-ENV-3 R-ENV-3N',
            'reading',
            44,
            2023,
            2026,
            'petra',
            'Noise reading, {a}|Dust reading, {a}',
          ),
        ],
      },
      {
        code: 'ENV.3',
        title: 'Birds and banks',
        series: [series('ENV-05', 'Bird counts', 'R-ENV-1', 'report', 26, 2012, 2026, 'petra', 'Bird count, {a}, {m}')],
      },
    ],
  },
  {
    code: 'SAF',
    title: 'Safety and inquiries',
    activities: [
      {
        code: 'SAF.1',
        title: 'Inquiries',
        series: [
          series('SAF-01', 'Inquiry files', 'R-SAF-1', 'report', 44, 2009, 2026, 'dario', 'Inquiry paper {n}: {v}|Finding {n}: {v}', {
            folders: 'inquiries',
            physical: 0.4,
          }),
          series('SAF-02', 'Near-miss reports', 'R-SAF-4', 'report', 40, 2017, 2026, 'dario', 'Near-miss report {n}, {a}', {
            folders: 'years',
          }),
        ],
      },
      {
        code: 'SAF.2',
        title: 'The fairway',
        series: [
          series('SAF-03', 'Fairway notices', 'R-SAF-3', 'notice', 96, 2019, 2026, 'dario', 'Fairway notice {n}, {a}'),
          series(
            'SAF-05',
            'Marks and lights',
            'R-BER-3',
            'inspection',
            40,
            2018,
            2026,
            'petra',
            'Light inspection, {a}|Buoy inspection, {a}',
          ),
        ],
      },
      {
        code: 'SAF.3',
        title: 'Readiness',
        series: [
          series('SAF-06', 'Risk assessments', 'R-SAF-5', 'report', 8, 2022, 2026, 'dario', 'Risk assessment, {a}'),
          series('SAF-04', 'Drills and musters', 'R-SAF-5', 'report', 34, 2021, 2026, 'dario', 'Fire drill, {b}|Muster, {m}'),
        ],
      },
    ],
  },
  {
    code: 'FIN',
    title: 'Money',
    activities: [
      {
        code: 'FIN.1',
        title: 'Accounts',
        series: [
          series('FIN-01', 'Annual accounts', 'R-FIN-1', 'account', 29, 1998, 2026, 'kofi', 'Annual accounts {y}', { physical: 0.4 }),
          series('FIN-04', 'Bank and cash', 'R-FIN-4', 'account', 40, 2020, 2026, 'noor', 'Bank statement, {m}|Cash book, {m}'),
          series('FIN-07', 'Insurance claims', 'R-FIN-4', 'letter', 8, 2021, 2026, 'noor', 'Claim {n} for {b}'),
          series('FIN-05', 'Budget papers', 'R-FIN-5', 'account', 24, 2023, 2026, 'kofi', 'Budget {y}, draft {n}'),
        ],
      },
      {
        code: 'FIN.2',
        title: 'Income',
        series: [
          series(
            'FIN-02',
            'Service invoices',
            'R-FIN-2',
            'invoice',
            140,
            2015,
            2026,
            'kofi',
            'Invoice {4}, {c}|Invoice {4}, {c}|Invoice {4}, {c}|Credit note to {4}, {c}',
            { tidebook: 'invoice' },
          ),
          series('FIN-03', 'Dues and tariffs', 'R-FIN-3', 'account', 28, 2020, 2026, 'kofi', 'Harbour dues {y}|Tariff circular {n}'),
          series('FIN-06', 'Reminders and collections', 'R-FIN-4', 'letter', 24, 2021, 2026, 'noor', 'Reminder {n} to {c}'),
        ],
      },
    ],
  },
  {
    code: 'PEO',
    title: 'People',
    activities: [
      {
        code: 'PEO.1',
        title: 'Employment',
        series: [
          series(
            'PEO-01',
            'Personnel files',
            'R-PEO-1',
            'personnel',
            96,
            2001,
            2026,
            'mirela',
            'Contract of employment|Review {y}|Change of grade|Leave record {y}',
            { folders: 'staff', physical: 0.15 },
          ),
          series('PEO-07', 'Grievances', 'R-PEO-1', 'personnel', 8, 2016, 2026, 'mirela', 'Grievance of {p} on {s}'),
          series('PEO-03', 'Applications not taken', 'R-PEO-3', 'personnel', 20, 2026, 2026, 'mirela', 'Application of {p}'),
          series('PEO-06', 'Staff council', '', 'minutes', 20, 2018, 2026, 'mirela', 'Staff council, {m}'),
        ],
      },
      {
        code: 'PEO.2',
        title: 'Pay and health',
        series: [
          series('PEO-02', 'Pay runs', 'R-PEO-2', 'account', 40, 2019, 2026, 'mirela', 'Pay run, {m}'),
          series('PEO-05', 'Occupational health', 'R-PEO-5 R-PRV-1', 'personnel', 24, 2002, 2026, 'mirela', 'Health certificate of {p}'),
        ],
      },
      {
        code: 'PEO.3',
        title: 'Training',
        series: [
          series('PEO-04', 'Training and certificates', 'R-PEO-4', 'personnel', 30, 2012, 2026, 'mirela', 'Training certificate of {p}'),
        ],
      },
    ],
  },
  {
    code: 'GOV',
    title: 'Governance',
    activities: [
      {
        code: 'GOV.1',
        title: 'The board',
        series: [
          series('GOV-01', 'Board minutes', 'R-GOV-1', 'minutes', 58, 1998, 2026, 'ines', 'Minutes of the board, {m}', { physical: 0.7 }),
          series('GOV-05', 'Agreements', 'R-GOV-5', 'contract', 22, 2004, 2026, 'hanne', 'Agreement with {c}'),
        ],
      },
      {
        code: 'GOV.2',
        title: 'Policy',
        series: [
          series('GOV-02', 'Policies', 'R-GOV-2', 'policy', 24, 2015, 2026, 'ines', 'Policy on {s}, edition {n}'),
          series('GOV-06', 'Records office', 'R-HAR-5', 'report', 20, 2022, 2026, 'ines', 'Records office, {m}'),
        ],
      },
      {
        code: 'GOV.3',
        title: 'The public',
        series: [
          series('GOV-03', 'Complaints', 'R-GOV-3', 'letter', 30, 2020, 2026, 'hanne', 'Complaint of {p} on {s}', { folders: 'years' }),
          series('GOV-04', 'Visitors and press', 'R-GOV-4', 'letter', 20, 2024, 2026, 'ines', 'Press question on {s}|School visit, {m}'),
        ],
      },
    ],
  },
];

import { addPeriod, civilDate, epochDay, formatCivilDate, period } from '@key-cellar/core/calendar';
import { factGaps, type FactValue } from '@key-cellar/core/records';
import { areas, berths, companies, craft, gauges, months, staff, subjects, vessels } from './invent.js';
import { functions, recordTypes, type DemoSeries, type RecordTypeCode } from './plan.js';
import { seeded, type Random } from './random.js';
import { voyageOn, type Voyage } from './tidebook.js';

export const demoToday = '2026-09-14';
const lastDay = civilDate('2026-09-10');

export interface DemoFolder {
  readonly id: string;
  readonly seriesCode: string;
  readonly code: string;
  readonly title: string;
  readonly openedOn: string;
  readonly closedOn: string | null;
  readonly jurisdictions: readonly string[];
  readonly events: readonly { readonly type: string; readonly on: string }[];
}

export interface DemoRecord {
  readonly id: string;
  readonly number: string;
  readonly title: string;
  readonly type: RecordTypeCode;
  readonly seriesCode: string;
  readonly folder: DemoFolder | null;
  readonly physical: boolean;
  readonly container: number | null;
  readonly createdOn: string;
  readonly filedOn: string;
  readonly declaredOn: string | null;
  readonly supersededOn: string | null;
  readonly facts: Readonly<Record<string, FactValue>>;
  readonly gaps: number;
  readonly owner: string;
  readonly jurisdictions: readonly string[];
}

export const containers = Array.from({ length: 40 }, (_, i) => {
  const store = i < 26 ? 1 : 2;
  const bay = 'ABCDEF'[Math.floor((i % 26) / 5)]!;
  const shelf = (i % 5) + 1;
  return {
    code: `S${store}-${bay}${shelf}`,
    title: i % 3 === 0 ? 'Chart drawer' : 'Box, lidded',
    place: `Store ${store}, bay ${bay}, shelf ${shelf}`,
  };
});

/** Series of which more lies in the first years, so that there is something to decide in autumn 2026. */
const heavyStart: Readonly<Record<string, { years: number; share: number }>> = {
  'FIN-02': { years: 1, share: 0.25 },
  'ENV-04': { years: 2, share: 0.5 },
  'SAF-03': { years: 1, share: 0.19 },
  'PIL-01': { years: 1, share: 0.08 },
};

function yearFor(series: DemoSeries, random: Random): number {
  const heavy = heavyStart[series.code];
  if (heavy && random.next() < heavy.share) return random.whole(series.from, series.from + heavy.years - 1);
  return random.whole(series.from, series.to);
}

function inquiryFolders(id: () => string, seriesCode: string): DemoFolder[] {
  const list: [string, string, string, string | null][] = [
    ['Q-09', 'Collision at Ferry Pier', '2009-03-01', '2010-06-11'],
    ['Q-12', 'Oil off Saltgarth slip', '2012-08-20', '2013-02-04'],
    ['Q-16', 'Parted line, Berth 7', '2016-02-14', '2016-12-19'],
    ['Q-19', 'Grounding of the barge Ottoline', '2019-05-08', null],
    ['Q-22', 'Fire on the Pale Heron', '2022-10-30', '2023-07-01'],
    ['Q-25', 'Near misses since 2024', '2024-01-01', null],
  ];
  return list.map(([code, title, openedOn, closed]) => ({
    id: id(),
    seriesCode,
    code,
    title,
    openedOn,
    closedOn: null,
    jurisdictions: code === 'Q-16' || code === 'Q-22' ? ['Southshore'] : ['Northshore'],
    events: closed ? [{ type: 'inquiry closed', on: closed }] : [],
  }));
}

function foldersOf(series: DemoSeries, random: Random): DemoFolder[] {
  const make = (code: string, title: string, openedOn: string, more: Partial<DemoFolder> = {}): DemoFolder => ({
    id: random.id(),
    seriesCode: series.code,
    code,
    title,
    openedOn,
    closedOn: null,
    jurisdictions: [],
    events: [],
    ...more,
  });
  switch (series.folders) {
    case undefined:
    case 'none':
      return [];
    case 'years':
      return Array.from({ length: series.to - series.from + 1 }, (_, i) => {
        const year = series.from + i;
        return make(String(year), `${series.title} ${year}`, `${year}-01-01`, { closedOn: year < 2026 ? `${year}-12-31` : null });
      });
    case 'leases':
      return berths.map((berth, i) =>
        make(`B-${String(i + 1).padStart(2, '0')}`, `${berth}, ${companies[i % companies.length]!}`, `${2003 + (i % 9)}-04-01`, {
          jurisdictions: [i % 2 === 0 ? 'Northshore' : 'Southshore'],
          events: i % 3 === 0 ? [{ type: 'lease ended', on: `${2017 + (i % 8)}-06-30` }] : [],
        }),
      );
    case 'contracts':
      return Array.from({ length: 10 }, (_, i) => {
        const no = i + 7;
        return make(`C-${String(no).padStart(2, '0')}`, `Dredging contract ${no}, ${companies[8 - (i % 2) * 3]!}`, `${2010 + i}-05-01`, {
          events: no < 14 ? [{ type: 'contract ended', on: `${2015 + i}-05-20` }] : [],
        });
      });
    case 'inquiries':
      return inquiryFolders(() => random.id(), series.code);
    case 'staff':
      return staff.map((name, i) =>
        make(`P-${String(i + 1).padStart(2, '0')}`, name, `${2001 + (i % 20)}-02-01`, {
          events: i % 3 === 1 ? [{ type: 'person left', on: `${2018 + (i % 8)}-0${(i % 8) + 1}-15` }] : [],
        }),
      );
    case 'craft':
      return craft.map((name, i) =>
        make(
          `V-${i + 1}`,
          name.replace(/^./, (c) => c.toUpperCase()),
          `${2002 + i * 2}-01-10`,
          {
            events: i < 2 ? [{ type: 'vessel scrapped', on: `${2014 + i * 5}-11-03` }] : [],
          },
        ),
      );
  }
}

function titleFrom(pattern: string, names: Record<string, string>): string {
  return pattern.replace(/\{(\w)\}/g, (_, key: string) => names[key] ?? '');
}

function factsFor(
  type: RecordTypeCode,
  names: Record<string, string>,
  createdOn: string,
  random: Random,
  voyage: Voyage | null,
): Record<string, FactValue> {
  const values: Record<string, () => FactValue> = {
    vessel: () => names['v']!,
    berth: () => names['b']!,
    order: () => (voyage ? names['own']! : `${createdOn.slice(2, 4)}-${String(random.whole(1, 999)).padStart(4, '0')}`),
    pilot: () => random.pick(['Lune Abara', 'Jarek Lindqvist', 'Amara Diallo-West']),
    holder: () => (type === 'permit' ? names['c']! : names['p']!),
    expires: () => formatCivilDate(addPeriod(civilDate(createdOn), period(random.pick(['P6M', 'P1Y', 'P2Y'])))),
    tenant: () => names['c']!,
    begins: () => createdOn,
    finding: () => random.pick(['sound', 'sound', 'worn', 'unsafe']),
    volume: () => random.whole(1, 400),
    contract: () => `Dredging contract ${names['k']!}`,
    contractor: () => random.pick(['Lothmere Dredging', 'Fenwick Aggregates']),
    area: () => names['a']!,
    scale: () => random.pick(['1:2500', '1:5000', '1:10000']),
    station: () => names['g']!,
    instrument: () => `TG-${random.whole(11, 48)}`,
    author: () => random.pick(['Bertil Osei', 'Petra Solheim', 'Amara Diallo-West', 'Noor Falkenberg']),
    customer: () => names['c']!,
    amount: () => voyage?.amount ?? random.whole(90, 48_000),
    period: () => `${names['m']!} ${createdOn.slice(0, 4)}`,
    body: () => (random.next() < 0.8 ? 'The board' : 'Staff council'),
    person: () => names['p']!,
    correspondent: () => names['p']!,
    direction: () => random.pick(['in', 'out']),
  };
  if (names['craft']) values['craft'] = () => names['craft']!;
  if (voyage) values['call'] = () => voyage.call;
  return Object.fromEntries(recordTypes[type].facts.flatMap((f) => (values[f.code] ? [[f.code, values[f.code]!()]] : [])));
}

const seedOf = (code: string): number => [...code].reduce((sum, c) => (sum * 31 + c.charCodeAt(0)) % 1_000_003, 7);

/** All folders and records of the demo, the same every time. */
export function makeRecords(): { folders: DemoFolder[]; records: DemoRecord[] } {
  const folders: DemoFolder[] = [];
  const records: DemoRecord[] = [];
  for (const fn of functions) {
    for (const series of fn.activities.flatMap((a) => a.series)) {
      // Each series has a seed of its own, so that a change to one leaves the others as they are.
      const random = seeded(20260914 + seedOf(series.code));
      const own = foldersOf(series, random);
      for (const folder of own) folders.push(folder);
      const counters = new Map<number, number>();
      const drafts = Array.from({ length: series.count }, () => {
        const year = yearFor(series, random);
        const first = epochDay(year, 1, 2);
        const day = Math.min(first + random.whole(0, 355), lastDay - random.whole(0, 40));
        return Math.max(day, first);
      }).sort((a, b) => a - b);
      drafts.forEach((day, index) => {
        const createdOn = formatCivilDate(day);
        const year = Number(createdOn.slice(0, 4));
        const folder = chooseFolder(series, own, createdOn, index, random);
        const contract = folder?.seriesCode === 'DRG-02' ? String(Number(folder.code.slice(2))) : String(random.whole(7, 16));
        const voyage = series.tidebook ? voyageOn(createdOn) : null;
        const pattern = series.titles[index % series.titles.length]!;
        const names: Record<string, string> = {
          v: voyage ? voyage.vessel : folder?.title.includes('Ottoline') ? 'barge Ottoline' : random.pick(vessels),
          b: folder?.code.startsWith('B-') ? `Berth ${Number(folder.code.slice(2))}` : random.pick(berths),
          n: String(random.whole(1, 480)),
          m: `${months[Number(createdOn.slice(5, 7)) - 1]!} ${year}`,
          y: String(year),
          p: folder?.code.startsWith('P-') ? folder.title : random.pick(staff),
          c: voyage?.customer ?? random.pick(companies),
          k: contract,
          a: random.pick(areas),
          g: random.pick(gauges),
          f: folder?.code.startsWith('V-') ? folder.title.toLowerCase() : random.pick(craft),
          s: random.pick(subjects),
          craft: '',
          1: voyage?.call ?? '',
          2: voyage?.order ?? '',
          3: voyage?.slip ?? '',
          4: voyage?.invoice ?? '',
          own: (voyage && (pattern.includes('{3}') ? voyage.slip : series.tidebook ? voyage[series.tidebook] : '')) ?? '',
        };
        if (series.folders === 'craft') names['craft'] = names['f']!.replace(/^./, (first) => first.toUpperCase());
        let title = titleFrom(pattern, names);
        // Nine papers of contract 14 name the barge: the two matters overlap on them.
        if (folder?.code === 'C-14' && records.filter((r) => r.title.startsWith('Contract 14: Ottoline')).length < 9) {
          title = `Contract 14: Ottoline standby, certificate ${index}`;
        }
        const facts = factsFor(series.type, names, createdOn, random, voyage);
        if (random.next() < 0.03) {
          const required = recordTypes[series.type].facts.find((f) => f.required);
          if (required) delete facts[required.code];
        }
        const physical = random.next() < (series.physical ?? 0);
        const filed = Math.min(day + random.whole(0, 18), lastDay);
        const filedYear = Number(formatCivilDate(filed).slice(0, 4));
        const last = (counters.get(filedYear) ?? 0) + 1;
        counters.set(filedYear, last);
        const declaredDay = filed + random.whole(5, 90);
        const declared = declaredDay <= lastDay && random.next() < 0.85 && series.type !== 'policy';
        records.push({
          id: random.id(),
          number: `${series.code}/${filedYear}/${String(last).padStart(4, '0')}`,
          title,
          type: series.type,
          seriesCode: series.code,
          folder,
          physical,
          container: physical ? random.whole(0, containers.length - 1) : null,
          createdOn,
          filedOn: formatCivilDate(filed),
          declaredOn: declared ? formatCivilDate(declaredDay) : null,
          supersededOn:
            (series.code === 'FIN-03' || series.code === 'GOV-02') && index < series.count * 0.6
              ? formatCivilDate(Math.min(day + 700, lastDay))
              : null,
          facts,
          gaps: factGaps(recordTypes[series.type].facts, facts).length,
          owner: random.next() < 0.03 ? 'silas' : series.owner,
          jurisdictions: series.code === 'ENV-03' ? [index % 2 === 0 ? 'Northshore' : 'Southshore'] : [],
        });
      });
    }
  }
  return { folders, records };
}

function chooseFolder(series: DemoSeries, own: readonly DemoFolder[], createdOn: string, index: number, random: Random): DemoFolder | null {
  if (own.length === 0) return null;
  if (series.folders === 'years') return own.find((f) => f.code === createdOn.slice(0, 4)) ?? own.at(-1)!;
  // Twelve papers of contract 9 and a thick file on contract 14.
  if (series.folders === 'contracts') {
    const no = index < 12 ? 'C-09' : index % 3 === 0 ? 'C-14' : null;
    if (no) return own.find((f) => f.code === no)!;
  }
  const open = own.filter((f) => f.openedOn <= createdOn && f.events.every((e) => e.on >= createdOn));
  // What fits no folder lies in the series itself.
  return open.length > 0 ? random.pick(open) : null;
}

import { addPeriod, civilDate, formatCivilDate, period } from '@key-cellar/core/calendar';
import { berths, companies, vessels } from './invent.js';
import { seeded } from './random.js';

/**
 * A voyage as Tidebook, the harbour's line-of-business program, books it: a port call, and the papers that follow from it
 * and name it by number.
 */
export interface Voyage {
  readonly day: string;
  readonly vessel: string;
  readonly berth: string;
  readonly customer: string;
  /** Port call. */
  readonly call: string;
  /** Pilotage order. */
  readonly order: string;
  /** Service slip. */
  readonly slip: string;
  readonly invoice: string;
  /** Invoiced on, ten days after the call. */
  readonly invoicedOn: string;
  readonly amount: number;
}

const firstYear = 2015;
const lastYear = 2026;
const perYear = 96;
const daysBetween = 365 / perYear;

/** Every voyage of a dozen years, in order of their day. */
export const voyages: readonly Voyage[] = (() => {
  const random = seeded(41);
  const list: Voyage[] = [];
  for (let year = firstYear; year <= lastYear; year++) {
    const short = String(year).slice(2);
    for (let i = 0; i < perYear; i++) {
      const day = civilDate(`${year}-01-02`) + Math.floor(i * daysBetween);
      const no = String(i + 1).padStart(3, '0');
      list.push({
        day: formatCivilDate(day),
        vessel: random.pick(vessels),
        berth: random.pick(berths),
        customer: random.pick(companies),
        call: `PC-${short}-${no}`,
        order: `PO-${short}-${no}`,
        slip: `SS-${short}-${no}`,
        invoice: `IN-${short}-${no}`,
        invoicedOn: formatCivilDate(addPeriod(day, period('P10D'))),
        amount: random.whole(240, 18_400),
      });
    }
  }
  return list;
})();

/** The last voyage on or before a day, or the first of all. */
export function voyageOn(day: string): Voyage {
  let low = 0;
  let high = voyages.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (voyages[middle]!.day <= day) low = middle + 1;
    else high = middle;
  }
  return voyages[Math.max(0, low - 1)]!;
}

/** Everybody at the Marrowick Harbour Authority, all invented. */
export interface DemoPerson {
  readonly login: string;
  readonly name: string;
  readonly what: string;
  readonly groups: readonly string[];
  readonly clearance: number;
  readonly caveats: readonly string[];
  readonly active?: boolean;
  /** Listed on the sign-in page of the demo. */
  readonly shown?: boolean;
}

export const groups = {
  keepers: 'Records office',
  counsel: 'Counsel',
  pilots: 'Pilotage',
  works: 'Works and dredging',
  finance: 'Finance',
  people: 'People and pay',
  staff: 'All staff',
} as const;
export type GroupCode = keyof typeof groups;

export const people: readonly DemoPerson[] = [
  {
    login: 'ines',
    name: 'Ines Okafor-Lind',
    what: 'records manager',
    groups: ['keepers', 'staff'],
    clearance: 3,
    caveats: ['people', 'inquiry'],
    shown: true,
  },
  {
    login: 'tomas',
    name: 'Tomas Varga',
    what: 'deputy records manager',
    groups: ['keepers', 'staff'],
    clearance: 3,
    caveats: ['people', 'inquiry'],
    shown: true,
  },
  {
    login: 'hanne',
    name: 'Hanne Bright',
    what: 'counsel',
    groups: ['counsel', 'staff'],
    clearance: 3,
    caveats: ['people', 'inquiry'],
    shown: true,
  },
  {
    login: 'dario',
    name: 'Dario Quist',
    what: 'harbour master, approves',
    groups: ['staff'],
    clearance: 2,
    caveats: ['inquiry'],
    shown: true,
  },
  { login: 'lune', name: 'Lune Abara', what: 'pilotage, edits there', groups: ['pilots', 'staff'], clearance: 1, caveats: [], shown: true },
  { login: 'petra', name: 'Petra Solheim', what: 'works, edits there', groups: ['works', 'staff'], clearance: 1, caveats: [], shown: true },
  {
    login: 'kofi',
    name: 'Kofi Renner',
    what: 'finance, edits there',
    groups: ['finance', 'staff'],
    clearance: 1,
    caveats: [],
    shown: true,
  },
  {
    login: 'mirela',
    name: 'Mirela Stone',
    what: 'people and pay',
    groups: ['people', 'staff'],
    clearance: 2,
    caveats: ['people'],
    shown: true,
  },
  { login: 'odile', name: 'Odile Marchetti', what: 'auditor', groups: [], clearance: 3, caveats: ['people', 'inquiry'], shown: true },
  { login: 'ruben', name: 'Ruben Tal', what: 'reader', groups: ['staff'], clearance: 1, caveats: [], shown: true },
  { login: 'sunniva', name: 'Sunniva Holt', what: 'gate clerk, deposits only', groups: [], clearance: 0, caveats: [], shown: true },
  { login: 'jarek', name: 'Jarek Lindqvist', what: 'pilot', groups: ['pilots', 'staff'], clearance: 1, caveats: [] },
  { login: 'amara', name: 'Amara Diallo-West', what: 'pilot', groups: ['pilots', 'staff'], clearance: 1, caveats: [] },
  { login: 'bertil', name: 'Bertil Osei', what: 'dredging engineer', groups: ['works', 'staff'], clearance: 1, caveats: [] },
  { login: 'noor', name: 'Noor Falkenberg', what: 'accounts', groups: ['finance', 'staff'], clearance: 1, caveats: [] },
  { login: 'silas', name: 'Silas Kern', what: 'left in 2024', groups: [], clearance: 0, caveats: [], active: false },
];

/** One password for all demo accounts; the demo listens on loopback only. */
export const demoPassword = 'marrowick-cellar';

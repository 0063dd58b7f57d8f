import type { StencilBody } from '@key-cellar/contract';
import { bareFolder } from '@key-cellar/core/plan';

type Folder = StencilBody['root'];

/** What the stencils need to know by its id. */
export interface StencilIds {
  person(login: string): string;
  group(code: string): string;
  rule(code: string): string;
}

const folder = (key: string, code: string, title: string, more: Partial<Folder> = {}): Folder =>
  ({ ...bareFolder(key, code, title), ...more }) as Folder;
const grantTo = (principalId: string | null, profile: string): Folder['grants'][number] => ({
  principalId,
  role: null,
  profile,
  from: null,
  until: null,
});
const ready = (text: string, date: 'none' | 'before' | 'after' = 'none', recordType: string | null = null) => ({ text, date, recordType });

export interface DemoStencil {
  readonly subject: string;
  readonly title: string;
  readonly note: string;
  /** Versions, oldest first. */
  readonly versions: readonly StencilBody[];
}

/** The shelf of the harbour authority. */
export function demoStencils(ids: StencilIds): DemoStencil[] {
  const staffInside = (more: Folder[]): Folder[] => [
    folder('contract', 'CONTRACT', 'Contract and pay', {
      rules: [ids.rule('R-PEO-1')],
      readyTitles: [ready('Contract of {person}', 'after', 'personnel')],
    }),
    folder('appraisals', 'APPRAISALS', 'Appraisals', { readyTitles: [ready('Appraisal {n} of {person}', 'before', 'personnel')] }),
    folder('health', 'HEALTH', 'Occupational health', {
      rules: [ids.rule('R-PEO-5')],
      marking: { level: 2, caveats: ['people'] },
      grants: [grantTo(ids.person('mirela'), 'editor')],
      message: 'Doctors’ papers only. Whoever reads them is in the ledger.',
    }),
    ...more,
  ];
  return [
    {
      subject: 'People',
      title: 'Staff file',
      note: 'One for each who works here, from the day of the contract on.',
      versions: [
        {
          asks: ['person'],
          roles: [],
          root: folder('file', 'P-{nn}', '{person}', { types: ['personnel', 'letter', 'report'], inside: staffInside([]) }),
        },
        {
          asks: ['person'],
          roles: [],
          root: folder('file', 'P-{nn}', '{person}', {
            types: ['personnel', 'letter', 'report'],
            note: 'All papers about {person}.',
            inside: staffInside([
              folder('training', 'TRAINING', 'Training', { rules: [ids.rule('R-PEO-4')], readyTitles: [ready('Course {nn}', 'before')] }),
            ]),
          }),
        },
      ],
    },
    {
      subject: 'Berths',
      title: 'Berth lease',
      note: 'A folder for each lease; what is filed in it is the tenant’s.',
      versions: [
        {
          asks: ['berth', 'tenant'],
          roles: [],
          root: folder('lease', 'B-{nn}', '{berth}, {tenant}', {
            types: ['lease', 'inspection', 'letter', 'invoice'],
            message: 'Papers of {tenant} at {berth} only.',
            readyTitles: [
              ready('Lease of {berth} to {tenant}', 'none', 'lease'),
              ready('Amendment {n} to the lease of {berth}', 'none', 'lease'),
              ready('Letter on the lease of {berth}', 'before', 'letter'),
            ],
          }),
        },
      ],
    },
    {
      subject: 'Safety',
      title: 'Inquiry',
      note: 'Statements, findings and letters of one inquiry apart from one another.',
      versions: [
        {
          asks: [],
          roles: [{ code: 'lead', title: 'Lead of the inquiry' }],
          root: folder('inquiry', 'Q-{nn}', 'Inquiry', {
            marking: { level: 1, caveats: [] },
            grants: [grantTo(ids.group('counsel'), 'editor'), { ...grantTo(null, 'editor'), role: 'lead' }],
            inside: [
              folder('statements', 'STATEMENTS', 'Statements', {
                types: ['statement'],
                readyTitles: [ready('Statement {nn}', 'before', 'statement')],
              }),
              folder('findings', 'FINDINGS', 'Findings', { types: ['report'] }),
              folder('letters', 'LETTERS', 'Letters', { types: ['letter'] }),
            ],
          }),
        },
      ],
    },
  ];
}

import { receive } from '@key-cellar/server';
import { sampleFile, type Subject } from '../files/index.js';
import { seeded } from '../random.js';
import { demoToday } from '../records.js';
import { voyageOn } from '../tidebook.js';
import { as, type Loaded } from './scene.js';

type Letter = [string, Parameters<typeof sampleFile>[0], Subject, string, string];

/** What Tidebook sent over the weekend: the papers of one voyage, which name each other by number. */
function tidebookLetters(base: Pick<Subject, 'number' | 'createdOn' | 'author'>): Letter[] {
  const v = voyageOn(base.createdOn);
  const from = { ...base, createdOn: v.day, author: 'Tidebook' };
  const paper = (title: string, order: string): Subject => ({
    ...from,
    title: `${title}, ${v.vessel}`,
    type: 'order',
    facts: { vessel: v.vessel, order, call: v.call },
  });
  return [
    [`${v.call} port call`, 'pdf', paper(`Port call ${v.call}`, v.call), 'Tidebook', 'lune'],
    [`${v.order} pilotage order`, 'pdf', paper(`Pilotage order ${v.order}`, v.order), 'Tidebook', 'lune'],
    [`${v.slip} service slip`, 'pdf', paper(`Service slip ${v.slip}`, v.slip), 'Tidebook', 'lune'],
  ];
}

/** Things that arrived and wait to be filed, two of them twice. */
export async function addArrivals(loaded: Loaded): Promise<void> {
  const random = seeded(6);
  const base = { number: 'arrival', createdOn: '2026-09-09', author: 'Works mail-in' };
  const letters: Letter[] = [
    [
      'Mooring inspection Berth 6',
      'pdf',
      { ...base, title: 'Mooring inspection, Berth 6', type: 'inspection', facts: { berth: 'Berth 6', finding: 'worn' } },
      'works mail-in',
      'petra',
    ],
    [
      'Mooring inspection Berth 6 (copy)',
      'pdf',
      { ...base, title: 'Mooring inspection, Berth 6', type: 'inspection', facts: { berth: 'Berth 6', finding: 'worn' } },
      'works mail-in',
      'petra',
    ],
    ['Complaint on noise', 'eml', { ...base, title: 'Complaint on noise', type: 'letter', facts: {} }, 'office mail-in', 'ines'],
    [
      'scan_0041',
      'scan',
      { ...base, title: 'Lease of Berth 9, signed', type: 'lease', facts: { berth: 'Berth 9', tenant: 'Brae Chandlery' } },
      'scanner, front desk',
      'ines',
    ],
    [
      'scan_0042',
      'tiff',
      { ...base, title: 'Site plan, Timber Pond', type: 'sheet', facts: { area: 'Timber Pond' } },
      'scanner, front desk',
      'ines',
    ],
    [
      'Calibration Ferry Pier gauge',
      'xlsx',
      { ...base, title: 'Calibration, Ferry Pier gauge', type: 'reading', facts: { station: 'Ferry Pier gauge' } },
      'works mail-in',
      'petra',
    ],
    [
      'Minutes September draft',
      'docx',
      { ...base, title: 'Minutes of the board, September 2026', type: 'minutes', facts: {} },
      'upload',
      'ines',
    ],
    [
      'Bollard test Berth 11',
      'pdf',
      { ...base, title: 'Bollard test, Berth 11', type: 'inspection', facts: { berth: 'Berth 11', finding: 'sound' } },
      'works mail-in',
      'petra',
    ],
    [
      'Photo of the north light',
      'png',
      { ...base, title: 'Light inspection, north light', type: 'inspection', facts: { berth: 'north light', finding: 'sound' } },
      'upload',
      'petra',
    ],
    ...tidebookLetters(base),
    ['Gate list week 36', 'pdf', { ...base, title: 'Gate list, week 36', type: 'order', facts: { vessel: 'Quill' } }, 'upload', 'sunniva'],
    ['Gate list week 37', 'pdf', { ...base, title: 'Gate list, week 37', type: 'order', facts: { vessel: 'Hesper' } }, 'upload', 'sunniva'],
  ];
  for (const [name, kind, subject, source, login] of letters) {
    const again = seeded(77);
    const file = await sampleFile(kind, subject, subject.title.includes('Berth 6') ? again : random);
    await receive(loaded.services, await as(loaded, login, demoToday), {
      name: `${name}.${file.ending}`,
      source,
      placeId: null,
      idempotencyKey: null,
      bytes: (async function* () {
        yield file.bytes;
      })(),
    });
  }
}

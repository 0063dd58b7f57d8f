import type { RecordTypeCode } from '../plan.js';
import type { Facts } from '@key-cellar/core/records';
import type { Random } from '../random.js';

export interface Subject {
  readonly title: string;
  readonly number: string;
  readonly type: RecordTypeCode;
  readonly createdOn: string;
  readonly facts: Facts;
  readonly author: string;
}

const weather = [
  'wind west-south-west, five',
  'a falling wind and rain',
  'clear, with a long swell',
  'fog until the forenoon',
  'calm and very cold',
  'wind north-east, four, and a short sea',
];
const closing = [
  'Nothing further is to be reported.',
  'The harbour office was told by telephone.',
  'A copy went to the works department.',
  'The matter is to be looked at again in spring.',
  'No cost arose for the Authority.',
];

/** A number of one's own for a subject, so that what is made of it stays the same whatever else is made. */
function serialOf(subject: Subject): number {
  let n = 7;
  for (const sign of `${subject.number}${subject.title}`) n = (n * 31 + sign.charCodeAt(0)) % 1_000_003;
  return n;
}

/** An account number (ISO 13616) of no country, with right check digits. */
function accountOf(n: number): string {
  const body = `MHAB${String(n * 7919).padStart(14, '0')}`;
  const digits = [...`${body}ZZ00`].map((c) => (c >= 'A' ? String(c.charCodeAt(0) - 55) : c)).join('');
  let remainder = 0;
  for (const digit of digits) remainder = (remainder * 10 + Number(digit)) % 97;
  return `ZZ${String(98 - remainder).padStart(2, '0')}${body}`.replace(/(.{4})(?=.)/g, '$1 ');
}

/** A card number of no issuer (ISO/IEC 7812-1), with a right check digit. */
function cardOf(n: number): string {
  const body = `0000${String(n * 104_729).padStart(11, '0')}`.slice(0, 15);
  let sum = 0;
  [...body].reverse().forEach((digit, i) => {
    const part = Number(digit) * (i % 2 === 0 ? 2 : 1);
    sum += part > 9 ? part - 9 : part;
  });
  return `${body}${(10 - (sum % 10)) % 10}`.replace(/(.{4})(?=.)/g, '$1 ');
}

/** What nobody should have written into some of the papers, and somebody did. */
function careless(subject: Subject): string[] {
  const n = serialOf(subject);
  if (subject.type === 'invoice' && n % 5 === 0) return [`Please pay to ${accountOf(n)}.`];
  if (subject.type === 'letter' && n % 23 === 0) return [`The deposit may be taken from card ${cardOf(n)}.`];
  if (subject.type === 'personnel' && n % 6 === 0)
    return ['On sick leave for two weeks; the diagnosis is with the doctor of the Authority.'];
  return [];
}

const bodies: Record<RecordTypeCode, (s: Subject, r: Random) => string[]> = {
  letter: (s, r) => [
    `Thank you for your letter. We have looked into what you describe and spoke with those on duty that day.`,
    `There was ${r.pick(weather)}. ${r.pick(['The gate had been left unlatched.', 'The notice at the pier head was a day out of date.', 'The ferry had the right of way.', 'The account shows one call too many, which we have struck out.'])}`,
  ],
  log: (_s, r) => [
    `Watch began at ${r.whole(4, 8)}:00 with ${r.pick(weather)}.`,
    `${r.whole(2, 9)} vessels in, ${r.whole(1, 8)} out. Tug ${r.pick(['Sable', 'Corrie', 'Wendle'])} stood by at the north station.`,
    `Pilot boat made ${r.whole(3, 12)} trips. One engine check, no fault found.`,
  ],
  order: (s, r) => [
    `Pilot ordered for ${String(s.facts['vessel'])} at ${r.whole(0, 23)}:${r.pick(['10', '20', '40'])}, draught ${r.whole(3, 9)}.${r.whole(0, 9)} m.`,
    ...(s.facts['call'] ? [`Tidebook: port call ${String(s.facts['call'])}, this paper ${String(s.facts['order'])}.`] : []),
    `Boarded at the outer buoy, ${r.pick(weather)}. All fast at ${r.whole(1, 12)} bells; ${r.pick(['two tugs', 'one tug', 'no tug'])}.`,
  ],
  statement: (s, r) => [
    `At 0${r.whole(3, 9)}:${r.whole(10, 59)} I boarded the tug at the north station. Visibility was two cables and falling, ${r.pick(weather)}. The tow was made fast astern with forty metres of line.`,
    `Abreast of buoy N4 the ${String(s.facts['vessel'])} took a sheer to starboard. I ordered the tug to reduce and to bring her head up to the stream. The line surged twice and held.`,
    `She touched on the northern edge of the dredged channel and lay over about four degrees. I reported to the harbour office at once and asked that inbound traffic be kept below the bar.`,
    'I looked at the sounding sheet for the section that was issued on the first of the month. It showed more water than there was.',
  ],
  licence: (s) => [
    `${String(s.facts['holder'])} is licensed to pilot vessels of any draught between the outer buoy and the upper basin.`,
    `The licence ends on ${String(s.facts['expires'])} unless it is renewed before.`,
  ],
  lease: (s, r) => [
    `The Authority lets ${String(s.facts['berth'])} to ${String(s.facts['tenant'])} for ${r.whole(3, 15)} years.`,
    `The tenant keeps fenders, ladders and lights in order and lets the Authority's craft lie there in heavy weather.`,
    `Rent is ${r.whole(8, 60)}00 crowns a quarter, paid in advance, and follows the tariff of the Authority.`,
  ],
  inspection: (s, r) => [
    `${String(s.facts['berth'])} was inspected at low water, ${r.pick(weather)}.`,
    `Finding: ${String(s.facts['finding'])}. Bollard ${r.whole(1, 9)} was pulled to ${r.whole(20, 60)} tonnes and moved ${r.whole(0, 6)} mm.`,
    `${r.pick(['The chain of fender 3 wants replacing.', 'Two ladder rungs are bent.', 'The quay face has a crack of about a metre, filled in 2018.', 'Nothing to mend before next year.'])}`,
  ],
  permit: (s, r) => [
    `${String(s.facts['holder'])} may take ${String(s.facts['volume'] ?? r.whole(2000, 90000))} cubic metres from the section named and lay them on the outer spoil ground.`,
    `No work between March and June above the old ferry pier. Soundings before and after are handed in within fourteen days.`,
  ],
  contract: (s, r) => [
    `${String(s.facts['contract'])} with ${String(s.facts['contractor'])}.`,
    `Certified for this month: ${r.whole(10, 400)} hours of the dredger, ${r.whole(1, 60)}00 cubic metres, ${r.whole(12, 96)}00 crowns.`,
    `${r.pick(['The hopper was away for repair for three days.', 'Work stopped for fog on two mornings.', 'A variation for the pier toe is still under discussion.'])}`,
  ],
  sheet: (s, r) => [
    `Soundings reduced to the datum of the Marrowick gauge. Lines run at ${r.whole(5, 25)} m, ${r.pick(weather)}.`,
    `Least depth found in ${String(s.facts['area'])}: ${r.whole(2, 9)}.${r.whole(0, 9)} m.`,
  ],
  reading: (s, r) => [
    `Station ${String(s.facts['station'])}, instrument ${String(s.facts['instrument'] ?? 'as fitted')}.`,
    `Reading before ${r.whole(1, 4)}.${r.whole(100, 999)}, after ${r.whole(1, 4)}.${r.whole(100, 999)}; difference within the tolerance of 0.010.`,
    `Taken in ${r.pick(weather)}.`,
  ],
  report: (s, r) => [
    `What happened: ${r.pick(['a mooring line parted while a barge was being warped', 'a launch came too close under the bows of the ferry', 'oil the size of a table was seen off the slip', 'the horn of the north light stayed silent for an hour'])}.`,
    `What was done: ${r.pick(['the berth was cleared and the line replaced', 'both masters were spoken to', 'a boom was laid and lifted next morning', 'the lamp and relay were changed'])}.`,
    `${r.pick(weather).replace(/^./, (c) => c.toUpperCase())}.`,
  ],
  notice: (s, r) => [
    `Mariners are told that in the ${String(s.facts['area'])} ${r.pick(['a dredger works day and night', 'the buoy is off its station by half a cable', 'speed is limited to six knots', 'divers are at work on the pier toe'])}.`,
    `Keep watch on channel ${r.pick(['12', '14', '69'])} and pass slowly.`,
  ],
  invoice: (s, r) => [
    `To ${String(s.facts['customer'])}: pilotage, ${r.whole(1, 6)} services; berth dues, ${r.whole(1, 14)} days; water, ${r.whole(5, 80)} tonnes.`,
    ...(s.facts['call'] ? [`For port call ${String(s.facts['call'])} in Tidebook, as in the service slip of the same number.`] : []),
    `Sum ${String(s.facts['amount'] ?? 0)} crowns, to be paid within thirty days.`,
  ],
  account: (s, r) => [
    `Period ${String(s.facts['period'])}. Opening balance ${r.whole(100, 900)}00, closing balance ${r.whole(100, 900)}00 crowns.`,
    `Checked against the ledger of the period by two people.`,
  ],
  minutes: (s, r) => [
    `Present: the chair, five members, the harbour master, the secretary.`,
    `1. Minutes of the last meeting agreed.\n2. ${r.pick(['Dredging contract 14: progress noted', 'The lease of berth 12: to be offered again', 'Winter service of the pilot boat agreed', 'The grounding of the Ottoline: counsel to report'])}.\n3. Next meeting in four weeks.`,
  ],
  personnel: (s) => [`Concerns ${String(s.facts['person'])}.`, `Agreed with the head of department and put on the file.`],
  policy: (_s, r) => [
    `This policy says who decides, who is told and what is written down.`,
    `It was agreed by the board and is looked at again after ${r.whole(2, 4)} years.`,
  ],
};

/** Paragraphs worth reading for a record: made from its own facts. */
export function paragraphs(subject: Subject, random: Random): string[] {
  return [...bodies[subject.type](subject, random), ...careless(subject), random.pick(closing)];
}

/** The same as a plain text file. */
export function plainText(subject: Subject, random: Random): string {
  return [
    'MARROWICK HARBOUR AUTHORITY',
    '',
    subject.title,
    `${subject.number} · ${subject.createdOn}`,
    '',
    ...paragraphs(subject, random).flatMap((p) => [p, '']),
    subject.author,
    '',
  ].join('\n');
}

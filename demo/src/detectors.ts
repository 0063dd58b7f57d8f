import type { DetectorLine } from '@key-cellar/contract';

type DemoDetector = Pick<DetectorLine, 'title' | 'note' | 'signs'>;

/** What the harbour authority looks for in its papers. */
export const detectors: readonly DemoDetector[] = [
  {
    title: 'Account numbers',
    note: 'Papers with one are for the finance office.',
    signs: [{ kind: 'pattern', pattern: '@@## *', check: 'mod97', atLeast: 1 }],
  },
  {
    title: 'Payment cards',
    note: 'Nobody here may keep these; where one is found, the sender is written to.',
    signs: [{ kind: 'pattern', pattern: '#### #### #### ####', check: 'luhn', atLeast: 1 }],
  },
  {
    title: 'Illness',
    note: 'Such papers belong into the folder of occupational health.',
    signs: [{ kind: 'words', words: ['sick leave', 'diagnosis', 'unfit for service', 'medical certificate'], atLeast: 2 }],
  },
  {
    title: 'Pilot’s statement',
    note: 'Finds statements that were filed as something else.',
    signs: [
      {
        kind: 'likeness',
        percent: 60,
        sample:
          'I boarded the tug at the north station. Visibility was two cables and falling. The tow was made fast astern with forty metres of line. I ordered the tug to reduce and to bring her head up to the stream. The line surged twice and held. She touched on the northern edge of the dredged channel and lay over about four degrees. I reported to the harbour office at once and asked that inbound traffic be kept below the bar.',
      },
    ],
  },
];

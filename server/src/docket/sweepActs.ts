import { message } from '@key-cellar/words';
import { identity, steps } from '@key-cellar/contract';
import { readSettings, writeSetting } from '../identity/index.js';
import { actsFor, atRepository, Problem } from '../kernel/index.js';
import type { Services } from './services.js';
import { sweep } from './sweep.js';

const { actInParts } = actsFor<Services>();
const keepers = message('docket.keepersWholeRepositoryRun');

/** What the sweep enters by itself, at night or asked for; the steps of rules are taken as a job. */
export const sweeping = ['ran the sweep', 'came due', 'a rule came into force'];
export const takingSteps = [
  'asked the owner',
  'asked the owner again',
  'put up for review',
  'closed a question without an answer',
  'declared',
  'removed older versions',
  'moved',
  'made a folder',
  'took a step',
  'sent a letter',
];

export const sweepActs = {
  sweep: actInParts(steps.sweep, {
    name: 'ran the sweep',
    also: sweeping,
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'same',
    job: { kind: 'steps', beyond: 0 },
    perform: ({ services, person }) => sweep(services, person),
  }),

  /** Moves the clock of a demo forward, and sweeps as of that day. */
  moveClock: actInParts(identity.moveClock, {
    name: 'moved the demo clock',
    also: sweeping,
    on: { repository: atRepository('dispose', message('docket.keepersMoveDemoClock')) },
    gate: 'none',
    repeat: 'refused',
    async perform({ services, person, body }, work) {
      if (!person.demo) throw new Problem(403, 'no-demo', message('docket.noDemo'));
      if (body.to <= person.today) {
        throw new Problem(422, 'wrong-input', message('docket.clockForward'), [
          { pointer: '/to', sentence: message('docket.mustAfter', { today: { day: person.today } }) },
        ]);
      }
      const days = Math.round((Date.parse(body.to) - Date.parse(person.today)) / 86_400_000);
      await work(async (uow) => {
        const settings = await readSettings(uow);
        await writeSetting(uow, 'clock', { demo: true, offsetDays: settings.offsetDays + days });
        const subject = { kind: 'setting', id: null, name: 'clock' };
        uow.enter({ act: 'moved the demo clock', subject, before: { today: person.today }, after: { today: body.to } });
      });
      const { newlyDue, jobId } = await sweep(services, { ...person, today: body.to });
      return { today: body.to, newlyDue, jobId };
    },
  }),
};

import * as z from 'zod';
import { dateText, get, id, put } from './shared.js';

const schedule = z.object({
  /** Every content is checked within so many days. */
  days: z.number().int().min(1).max(3660),
  /** How much is read for it in a second, in megabytes. */
  megabytesPerSecond: z.number().int().min(1).max(2000),
});
export type FixitySchedule = z.infer<typeof schedule>;

const damaged = z.object({
  contentId: id,
  sha256: z.string(),
  size: z.number().int(),
  since: z.string(),
  /** What has it: records, arrivals, batches. */
  holders: z.array(z.object({ kind: z.enum(['record', 'arrival', 'batch']), id, name: z.string() })),
});

const state = schedule.extend({
  /** No content was last checked, or stored, before this instant; null when there is none. */
  oldest: z.string().nullable(),
  /** How many are due to be checked, up to ten thousand. */
  due: z.number().int(),
  /** How many contents are set apart as damaged, and the first hundred of them. */
  damagedCount: z.number().int(),
  damaged: z.array(damaged),
  /** What does not belong together, counted once a day; null before the first time. */
  reconciled: z
    .object({
      on: dateText,
      /** Contents that nothing has. */
      contentsOfNothing: z.number().int(),
      /** Records that should have content and have none. */
      recordsWithout: z.number().int(),
    })
    .nullable(),
  /** Keys that are still to be destroyed. */
  keysToDestroy: z.number().int(),
  /** The object store, each number up to ten thousand; null where there is none. */
  objects: z
    .object({
      /** Where new contents lie: beside their copies, or there alone. */
      contentsIn: z.enum(['database', 'objects']),
      /** Contents that have no copy there yet. */
      withoutCopy: z.number().int(),
      /** Objects that are not locked yet. */
      withoutLock: z.number().int(),
      /** Objects of contents that are gone, whose lock has not ended. */
      toRemove: z.number().int(),
      /** Something waits for an hour or longer to be copied or locked. */
      behind: z.boolean(),
    })
    .nullable(),
});
export type FixityState = z.infer<typeof state>;

export const fixity = {
  state: get('/fixity', 'How far all contents were checked, and what is damaged', { response: state }),
  schedule: put('/fixity', 'Say within how many days every content is checked, and how fast', { body: schedule }),
};

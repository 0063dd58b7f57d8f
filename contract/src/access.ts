import * as z from 'zod';
import { get, sentence } from './shared.js';

const whoCan = z.object({
  /** As the server names it, such as `holds.release`. */
  name: z.string(),
  /** What it does. */
  does: sentence,
  /** The rights that it takes, on what; or why it takes none. */
  takes: sentence,
  /** Profiles that carry all of it. */
  profiles: z.array(sentence),
});
export type WhoCan = z.infer<typeof whoCan>;

export const access = {
  acts: get('/acts', 'Who can do what: every act with the rights that it takes, and on what', {
    response: z.object({ acts: z.array(whoCan) }),
  }),
};

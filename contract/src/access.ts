import * as z from 'zod';
import { get } from './shared.js';

const whoCan = z.object({
  /** As the server names it, such as `holds.release`. */
  name: z.string(),
  summary: z.string(),
  /** What it takes: a right in words on a kind of thing; an empty right is none but knowing of the thing. */
  needs: z.array(z.object({ right: z.string(), on: z.string(), many: z.boolean() })),
  /** Why no right is asked, where none is. */
  because: z.string().nullable(),
  /** Profiles that carry all of it. */
  profiles: z.array(z.string()),
});
export type WhoCan = z.infer<typeof whoCan>;

export const access = {
  acts: get('/acts', 'Who can do what: every act with the rights that it takes, and on what', {
    response: z.object({ acts: z.array(whoCan) }),
  }),
};

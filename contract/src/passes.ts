import { placeKinds } from '@key-cellar/core/plan';
import * as z from 'zod';
import { ask, dateText, get, id, idParam, personRef, post } from './shared.js';
import { line, reason, text } from './text.js';

/** What a pass is good for: open, over its last day, opened as often as it may be, revoked, or its maker may not do it any more. */
const state = z.enum(['open', 'ended', 'used', 'revoked', 'powerless']);

const pass = z.object({
  id,
  visitor: z.string(),
  reason: z.string(),
  madeBy: personRef,
  madeOn: dateText,
  until: dateText,
  copyOut: z.boolean(),
  passphrase: z.boolean(),
  openings: z.number().int().nullable(),
  opened: z.number().int(),
  lastOpened: z.string().nullable(),
  place: z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() }).nullable(),
  /** Records that were named; of a place none. */
  records: z.array(z.object({ id, name: z.string() })),
  state,
});
export type PassLine = z.infer<typeof pass>;

const shownRecord = z.object({
  id,
  number: z.string(),
  title: z.string(),
  createdOn: dateText.nullable(),
  fileName: z.string().nullable(),
  mediaType: z.string().nullable(),
  size: z.number().int().nullable(),
});
export type ShownRecord = z.infer<typeof shownRecord>;

export const passes = {
  list: get('/passes', 'Visitor passes: one’s own, and those to what one gives access to or audits', {
    response: z.object({ passes: z.array(pass) }),
  }),
  make: post('/passes', 'Make a pass by which somebody without an account sees records or what lies in a place; gives its link once', {
    body: z.object({
      visitor: line(120),
      reason,
      recordIds: z.array(id).max(500).default([]),
      placeId: id.nullable().default(null),
      until: dateText.nullable().default(null),
      passphrase: text(200).min(8, 'input.passphrase').nullable().default(null),
      openings: z.number().int().min(1).max(1000).nullable().default(null),
      copyOut: z.boolean().default(false),
    }),
    response: z.object({ id, token: z.string(), until: dateText }),
  }),
  revoke: post('/passes/{id}/revoke', 'Revoke a pass: whoever has it open sees nothing more', {
    params: idParam,
    body: z.object({ reason }),
  }),
  door: ask(
    '/pass',
    'For whom a pass is and what it asks, while it works',
    {
      body: z.object({ token: line(200) }),
      response: z.object({ repository: z.string(), visitor: z.string(), until: dateText, passphrase: z.boolean() }),
    },
    { who: 'public' },
  ),
  open: post(
    '/pass/open',
    'Open a pass: counts one opening, and begins a visitor’s session',
    { body: z.object({ token: line(200), passphrase: text(500).nullable().default(null) }) },
    { who: 'public' },
  ),
  shown: get(
    '/pass/records',
    'What the pass that is open shows; 200 at once',
    {
      query: z.object({ from: z.coerce.number().int().min(0).default(0) }),
      response: z.object({
        repository: z.string(),
        visitor: z.string(),
        madeBy: z.string(),
        until: dateText,
        copyOut: z.boolean(),
        records: z.array(shownRecord),
        total: z.number().int(),
      }),
    },
    { who: 'public' },
  ),
  pages: get(
    '/pass/records/{id}/pages',
    'How many pages a record of the open pass has',
    { params: idParam, response: z.object({ pages: z.number().int(), width: z.number(), height: z.number() }) },
    { who: 'public' },
  ),
};

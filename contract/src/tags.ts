import { placeKinds } from '@key-cellar/core/plan';
import * as z from 'zod';
import { grant, grantDays, profileCode } from './people.js';
import { accessShift, get, id, idParam, outcomes, post, put, revision } from './shared.js';
import { line, note, reason } from './text.js';

const tagLine = z.object({
  id,
  name: z.string(),
  note: z.string(),
  /** One that is not in use gives nothing, and is put on nothing any more. */
  active: z.boolean(),
  revision,
  grants: z.number().int(),
  /** Places that carry it themselves, and records that do, as far as one may know of them. */
  places: z.number().int(),
  records: z.number().int(),
});
export type TagLine = z.infer<typeof tagLine>;

const newTag = { name: line(80), note: note() };
const tagIds = z.array(id).max(20);

/** Access tags: words that places and records carry, and through which access is given. */
export const tags = {
  list: get('/access/tags', 'Access tags, with how much is given by them and how much carries them', {
    response: z.object({ tags: z.array(tagLine), mayMake: z.boolean() }),
  }),
  page: get('/access/tags/{id}', 'An access tag: what is given by it, and what carries it', {
    params: idParam,
    response: z.object({
      tag: tagLine,
      grants: z.array(grant),
      /** The first two hundred of each. */
      places: z.array(z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() })),
      records: z.array(z.object({ id, number: z.string(), title: z.string(), mayGrant: z.boolean() })),
      mayChange: z.boolean(),
    }),
  }),
  make: post('/access/tags', 'Make an access tag', { body: z.object(newTag), response: z.object({ id }) }),
  change: put('/access/tags/{id}', 'Rename an access tag, or put it in or out of use; tried first with dryRun', {
    params: idParam,
    body: z.object({ ...newTag, active: z.boolean(), revision, dryRun: z.boolean().default(true) }),
    response: z.object({ revision, access: accessShift.nullable() }),
  }),
  give: post('/access/tags/{id}/grants', 'Give somebody a profile on all that carries an access tag; tried first with dryRun', {
    params: idParam,
    body: z.object({ principalId: id, profile: profileCode, ...grantDays, reason, dryRun: z.boolean().default(true) }),
    response: z.object({ id, access: accessShift.nullable() }),
  }),
  ofPlace: put('/places/{id}/tags', 'Say which access tags a place carries, with all that lies in it; tried first with dryRun', {
    params: idParam,
    body: z.object({ tagIds, revision, reason, dryRun: z.boolean().default(true) }),
    response: z.object({ revision, access: accessShift.nullable() }),
  }),
  ofRecords: post('/records/tags', 'Put access tags on records, or take them off; tried first with dryRun', {
    body: z.object({
      recordIds: z.array(id).min(1).max(10_000),
      put: tagIds,
      take: tagIds,
      reason,
      dryRun: z.boolean().default(true),
    }),
    response: outcomes.extend({ access: accessShift.nullable() }),
  }),
};

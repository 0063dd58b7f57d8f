import { codePattern, placeKinds } from '@key-cellar/core/plan';
import * as z from 'zod';
import { dateText, get, id, idParam, line, outcomes, post } from './shared.js';

const counts = z.object({
  kept: z.number().int(),
  due: z.number().int(),
  held: z.number().int(),
  unscheduled: z.number().int(),
  permanent: z.number().int(),
  waiting: z.number().int(),
});
export type RackCounts = z.infer<typeof counts>;

const placeLine = z.object({
  id,
  kind: z.enum(placeKinds),
  parentId: id.nullable(),
  code: z.string(),
  title: z.string(),
  closedOn: dateText.nullable(),
  /** Codes of the rules set right here. */
  rules: z.array(z.string()),
  /** False: shown only so that the person finds the way further down. */
  discover: z.boolean(),
  deposit: z.boolean(),
  counts: counts.nullable(),
});
export type PlaceLine = z.infer<typeof placeLine>;

const rackCell = counts.extend({ seriesId: id, vintage: z.number().int() });
export type RackCell = z.infer<typeof rackCell>;

export const placePage = placeLine.extend({
  note: z.string(),
  openedOn: dateText,
  standAlone: z.boolean(),
  path: z.array(z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() })),
  inside: z.array(placeLine),
  setRules: z.array(z.object({ id, code: z.string(), title: z.string(), setOn: z.string(), here: z.boolean() })),
  jurisdictions: z.array(z.string()),
  /** Code of the place that says so; null when none does. */
  jurisdictionsFrom: z.string().nullable(),
  rights: z.array(z.string()),
  accessWhy: z.string(),
  revision: z.number().int(),
});
export type PlacePage = z.infer<typeof placePage>;

export const plan = {
  outline: get('/plan', 'All places of the file plan that the person may see; folders only with ?folders=true', {
    query: z.object({ folders: z.stringbool().optional() }),
    response: z.object({ places: z.array(placeLine) }),
  }),
  rack: get('/plan/rack', 'Counts per series and vintage; vintage 0 = the clock has not started', {
    response: z.object({ cells: z.array(rackCell) }),
  }),
  place: get('/places/{id}', 'One place', { params: idParam, response: placePage }),
  makePlace: post('/places', 'Make a function, activity, series or folder', {
    body: z.object({
      parentId: id,
      kind: z.enum(['function', 'activity', 'series', 'folder']),
      code: z.string().trim().regex(codePattern, 'may have capital letters, digits, hyphens, dots and slashes, 40 at most'),
      title: line(),
      note: z.string().max(4000).default(''),
    }),
    response: z.object({ id }),
  }),
  closeFolder: post('/places/{id}/close', 'Close a folder on a day; clocks that wait for it start', {
    params: idParam,
    body: z.object({ on: dateText }),
  }),
  recordEvent: post('/places/{id}/events', 'Record something that happened outside', {
    params: idParam,
    body: z.object({ type: line(80), on: dateText, note: z.string().max(2000).default('') }),
    response: z.object({ id }),
  }),
  setRule: post('/places/{id}/rules', 'Set a rule on a place', {
    params: idParam,
    body: z.object({ ruleId: id }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  unsetRule: post('/places/{id}/rules/unset', 'Take a rule off a place', {
    params: idParam,
    body: z.object({ ruleId: id }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  declareInside: post('/places/{id}/declare', 'Declare every working record of a folder', {
    params: idParam,
    response: outcomes,
  }),
};

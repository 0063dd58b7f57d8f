import * as z from 'zod';
import { dateText, get, id, idParam, personRef, post, put, revision } from './shared.js';
import { clearance } from './people.js';
import { line } from './text.js';

/** Areas of the interface whose questions, and whose acts, a program may be let at; what decides about people or disposal is for people alone. */
const asking = [
  ...(['plan', 'stencils', 'schedule', 'criteria', 'receiving', 'records', 'setup', 'holds', 'docket', 'steps'] as const),
  ...(['ledger', 'fixity', 'reports', 'access', 'exchange'] as const),
] as const;
const acting = ['plan', 'stencils', 'schedule', 'receiving', 'records', 'setup', 'holds', 'exchange'] as const;
/** People and groups from a directory, by SCIM and in no other way. */
const provisioning = 'scim.act';
export const scopes = [
  ...asking.map((area) => `${area}.read` as const),
  ...acting.map((area) => `${area}.act` as const),
  provisioning,
] as const;
export type Scope = (typeof scopes)[number];

const token = z.object({
  ...{ id, name: z.string(), scopes: z.array(z.enum(scopes)), until: dateText, madeBy: personRef, madeOn: dateText },
  lastUsed: z.object({ at: z.string(), from: z.string() }).nullable(),
  endedOn: dateText.nullable(),
});
export type TokenLine = z.infer<typeof token>;

const program = z.object({ id, name: z.string(), active: z.boolean(), clearance, tokens: z.array(token), revision });
export type ProgramLine = z.infer<typeof program>;

/** Programs of others: they act under a name of their own, with what they were granted, and with tokens that end (RFC 6750). */
export const programs = {
  list: get('/setup/programs', 'Programs that may use this interface, with their tokens', {
    response: z.object({ programs: z.array(program) }),
  }),
  make: post('/setup/programs', 'Add a program', { body: z.object({ name: line(80), clearance }), response: z.object({ id }) }),
  change: put('/setup/programs/{id}', 'Change a program, or let it do nothing more', {
    params: idParam,
    body: z.object({ name: line(80), clearance, active: z.boolean(), revision }),
    response: z.object({ revision }),
  }),
  makeToken: post('/setup/programs/{id}/tokens', 'Make a token for a program; it is shown this once', {
    params: idParam,
    body: z.object({ name: line(80), scopes: z.array(z.enum(scopes)).min(1), until: dateText }),
    response: z.object({ id, token: z.string() }),
  }),
  endToken: post('/setup/tokens/{id}/end', 'End a token; it works no more from this moment on', { params: idParam }),
};

import type { Catalogue } from '../speaker.js';
import { access } from './access.js';
import { act } from './act.js';
import { can } from './can.js';
import { criteria } from './criteria.js';
import { docket } from './docket.js';
import { exchange } from './exchange.js';
import { facts } from './facts.js';
import { federation } from './federation.js';
import { holds } from './holds.js';
import { http } from './http.js';
import { identity } from './identity.js';
import { input } from './input.js';
import { ledger } from './ledger.js';
import { mail } from './mail.js';
import { passes } from './passes.js';
import { plan } from './plan.js';
import { print } from './print.js';
import { problem } from './problem.js';
import { receiving } from './receiving.js';
import { records } from './records.js';
import { reports } from './reports.js';
import { schedule } from './schedule.js';
import { shared } from './shared.js';
import { tables } from './tables.js';
import { thing } from './thing.js';

/** Every message in German. */
export const de: Catalogue = {
  ...access,
  ...act,
  ...can,
  ...criteria,
  ...docket,
  ...exchange,
  ...facts,
  ...federation,
  ...holds,
  ...http,
  ...identity,
  ...input,
  ...ledger,
  ...mail,
  ...passes,
  ...plan,
  ...print,
  ...problem,
  ...receiving,
  ...records,
  ...reports,
  ...schedule,
  ...shared,
  ...tables,
  ...thing,
};

import { Ajv2020, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import type { Endpoint } from '@key-cellar/contract';

type Described = (path: string, method: string) => ValidateFunction | undefined;
/** All servers of one run describe themselves alike: the first that is asked is read, and what it says is compiled once. */
let known: Promise<Described> | null = null;

/** The OpenAPI document of a server, as what says whether an answer is as it was described: with nothing in it that is not. */
async function described(base: string): Promise<Described> {
  const document = (await (await fetch(`${base}/api/openapi.json`)).json()) as object;
  const ajv = new Ajv2020({ strict: false, allErrors: true });
  addFormats.default(ajv);
  ajv.addSchema(document, 'api');
  const escape = (text: string): string => encodeURIComponent(text.replaceAll('~', '~0').replaceAll('/', '~1'));
  return (path, method) => ajv.getSchema(`api#/paths/${escape(path)}/${method}/responses/200/content/application~1json/schema`);
}

/** Throws when an answer is not as the OpenAPI document of the server describes it. */
export async function requireAsDescribed(base: string, { path, method }: Endpoint, answer: unknown): Promise<void> {
  known ??= described(base);
  known.catch(() => (known = null));
  const validate = (await known)(path, method);
  if (validate === undefined) throw new Error(`${method} ${path} is not in the OpenAPI document.`);
  if (validate(answer)) return;
  const errors = validate.errors!.slice(0, 5).map((e) => `${e.instancePath || '/'} ${e.message} ${JSON.stringify(e.params)}`);
  throw new Error(`The answer of ${method} ${path} is not as described: ${errors.join('; ')}`);
}

import type { Endpoint } from '@key-cellar/contract';
import { targetsOf } from '../kernel/index.js';
import * as z from 'zod';
import type { HttpApp } from './context.js';
import { bound, type Bound } from './table.js';

const description =
  'Everything the interface does goes through these routes. Errors are problem documents (RFC 9457). A change needs the header `x-key-cellar` when a program sends it. Beside them: GET /api/records/{id}/content, /preview and /pages/{n}, GET /api/certificates/{id}, GET /api/jobs/{id}/events.';

function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
}

type JsonSchema = { properties?: Record<string, unknown>; required?: string[] } & Record<string, unknown>;
/** Schemas that others refer to, by their name in the document. */
type Components = Record<string, unknown>;

const refersTo = '#/$defs/';

/**
 * A schema as JSON Schema 2020-12, the dialect of OpenAPI 3.1. What it refers to, as what holds itself does, stands among the components: a
 * reference is looked up in the whole document.
 */
function jsonSchema(schema: z.ZodType, io: 'input' | 'output', name: string, components: Components): JsonSchema {
  const { $schema: _dialect, $defs = {}, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' });
  const named = (of: string): string => `${name}.${of}`;
  const moved = <T>(value: T): T =>
    JSON.parse(JSON.stringify(value), (key, inner: unknown) => {
      if (key !== '$ref' || typeof inner !== 'string') return inner;
      if (!inner.startsWith(refersTo)) throw new Error(`${name} refers to ${inner}, which the document cannot say.`);
      return `#/components/schemas/${named(inner.slice(refersTo.length))}`;
    }) as T;
  for (const [of, definition] of Object.entries($defs)) components[named(of)] = moved(definition);
  return moved(rest) as JsonSchema;
}

function parameters(e: Endpoint, where: 'path' | 'query', name: string, components: Components): unknown[] {
  const schema = where === 'path' ? e.params : e.query;
  const { properties = {}, required = [] } = jsonSchema(schema, 'input', `${name}.${where}`, components);
  return Object.entries(properties).map(([name, type]) => ({
    name,
    in: where,
    required: where === 'path' || required.includes(name),
    schema: type,
  }));
}

/** What an act takes, in a sentence. */
function needsOf({ answer }: Bound): string | undefined {
  if (typeof answer === 'function') return undefined;
  const { needs, because } = targetsOf(answer);
  if (because !== null) return `Needs no right: ${because}.`;
  return needs
    .map((n) =>
      n.words === 'none' ? `Needs a ${n.on} that you may know of.` : `Needs “${n.words}” on the ${n.on}${n.many ? ', one by one' : ''}.`,
    )
    .join(' ');
}

function requestBody(e: Endpoint, name: string, components: Components): object {
  if (e.method === 'get') return {};
  if (e.sends === 'bytes') return { requestBody: { content: { 'application/octet-stream': {} } } };
  return { requestBody: { content: { 'application/json': { schema: jsonSchema(e.body, 'input', `${name}.body`, components) } } } };
}

/** OpenAPI 3.1 of the endpoints that are bound. */
function openApi(): object {
  const paths: Record<string, Record<string, unknown>> = {};
  const components: Components = {};
  for (const one of bound()) {
    const e = one.endpoint;
    paths[e.path] = {
      ...paths[e.path],
      [e.method]: {
        operationId: one.name,
        summary: e.summary,
        description: needsOf(one),
        security: e.who === 'public' ? [] : [{ session: [] }],
        parameters: [...parameters(e, 'path', one.name, components), ...parameters(e, 'query', one.name, components)],
        ...requestBody(e, one.name, components),
        responses: {
          200: {
            description: 'Done',
            content: { 'application/json': { schema: jsonSchema(e.response, 'output', `${one.name}.answer`, components) } },
          },
          default: { description: 'A problem document (RFC 9457)', content: { 'application/problem+json': {} } },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Key Cellar', version: '0.1.0', description },
    servers: [{ url: '/api' }],
    components: { schemas: components, securitySchemes: { session: { type: 'apiKey', in: 'cookie', name: 'cellar_session' } } },
    paths,
  };
}

/** OpenAPI 3.1 at /api/openapi.json, and the same as a page for people at /api. */
export function describeApi(api: HttpApp): void {
  let document: object | null = null;
  api.get('/openapi.json', (context) => context.json((document ??= openApi())));
  api.get('/', (context) => {
    const lines = bound().map((one) => {
      const { method, path, summary } = one.endpoint;
      return `<tr><td>${method.toUpperCase()}</td><td><code>/api${escapeHtml(path)}</code></td><td>${escapeHtml(summary)}</td><td>${escapeHtml(needsOf(one) ?? '')}</td></tr>`;
    });
    return context.html(
      `<!doctype html><html lang="en"><meta charset="utf-8"><title>Key Cellar: interface for programs</title>
<style nonce="${context.get('nonce')}">body{font:15px/1.5 system-ui;margin:2rem auto;max-width:70rem;padding:0 1rem;color:#14201b;background:#fbfcfa}table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid #c9d1c8;padding:.35rem .75rem;text-align:left}</style>
<h1>Interface for programs</h1><p>${escapeHtml(description)} The same with every schema: <a href="/api/openapi.json">openapi.json</a>.</p>
<table><thead><tr><th>Method</th><th>Path</th><th>What it does</th><th>What it takes</th></tr></thead><tbody>${lines.join('')}</tbody></table></html>`,
    );
  });
}

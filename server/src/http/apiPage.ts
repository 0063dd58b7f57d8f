import type { Endpoint } from '@key-cellar/contract';
import * as z from 'zod';
import type { HttpApp } from './implement.js';

const description =
  'Everything the interface does goes through these routes. Errors are problem documents (RFC 9457). A change needs the header `x-key-cellar` when a program sends it. Beside them: POST /api/uploads (raw bytes), GET /api/records/{id}/content and /preview, GET /api/certificates/{id}, GET /api/ledger/export, GET /api/jobs/{id}/events.';

function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
}

type JsonSchema = { properties?: Record<string, unknown>; required?: string[] } & Record<string, unknown>;

/** A schema as JSON Schema 2020-12, the dialect of OpenAPI 3.1. */
function jsonSchema(schema: z.ZodType, io: 'input' | 'output'): JsonSchema {
  const { $schema: _dialect, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' });
  return rest as JsonSchema;
}

function parameters(schema: z.ZodType, where: 'path' | 'query'): unknown[] {
  const { properties = {}, required = [] } = jsonSchema(schema, 'input');
  return Object.entries(properties).map(([name, type]) => ({
    name,
    in: where,
    required: where === 'path' || required.includes(name),
    schema: type,
  }));
}

/** OpenAPI 3.1 of the endpoints that are bound. */
function openApi(endpoints: readonly Endpoint[]): object {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const e of endpoints) {
    paths[e.path] = {
      ...paths[e.path],
      [e.method]: {
        summary: e.summary,
        security: e.who === 'public' ? [] : [{ session: [] }],
        parameters: [...parameters(e.params, 'path'), ...parameters(e.query, 'query')],
        ...(e.method === 'get' ? {} : { requestBody: { content: { 'application/json': { schema: jsonSchema(e.body, 'input') } } } }),
        responses: {
          200: { description: 'Done', content: { 'application/json': { schema: jsonSchema(e.response, 'output') } } },
          default: { description: 'A problem document (RFC 9457)', content: { 'application/problem+json': {} } },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Key Cellar', version: '0.1.0', description },
    servers: [{ url: '/api' }],
    components: { securitySchemes: { session: { type: 'apiKey', in: 'cookie', name: 'cellar_session' } } },
    paths,
  };
}

/** OpenAPI 3.1 at /api/openapi.json, and the same as a page for people at /api. */
export function describeApi(api: HttpApp, endpoints: readonly Endpoint[]): void {
  let document: object | null = null;
  api.get('/openapi.json', (context) => context.json((document ??= openApi(endpoints))));
  api.get('/', (context) => {
    const lines = endpoints.map(
      (e) => `<tr><td>${e.method.toUpperCase()}</td><td><code>/api${escapeHtml(e.path)}</code></td><td>${escapeHtml(e.summary)}</td></tr>`,
    );
    return context.html(
      `<!doctype html><html lang="en"><meta charset="utf-8"><title>Key Cellar: interface for programs</title>
<style nonce="${context.get('nonce')}">body{font:15px/1.5 system-ui;margin:2rem auto;max-width:70rem;padding:0 1rem;color:#14201b;background:#fbfcfa}table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid #c9d1c8;padding:.35rem .75rem;text-align:left}</style>
<h1>Interface for programs</h1><p>${escapeHtml(description)} The same with every schema: <a href="/api/openapi.json">openapi.json</a>.</p>
<table><thead><tr><th>Method</th><th>Path</th><th>What it does</th></tr></thead><tbody>${lines.join('')}</tbody></table></html>`,
    );
  });
}

import type { HttpApp } from './implement.js';

function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
}

/** OpenAPI 3.1 at /api/openapi.json, and the same as a page for people at /api. */
export function describeApi(api: HttpApp): void {
  const info = {
    openapi: '3.1.0',
    info: {
      title: 'Key Cellar',
      version: '0.1.0',
      description:
        'Everything the interface does goes through these routes. Errors are problem documents (RFC 9457). Changes need the header `x-key-cellar` when they come from a program.',
    },
    servers: [{ url: '/api' }],
  };
  api.get('/openapi.json', (context) => context.json(api.getOpenAPI31Document(info)));
  api.get('/', (context) => {
    const { paths } = api.getOpenAPI31Document(info);
    const lines = Object.entries(paths ?? {}).flatMap(([path, methods]) =>
      Object.entries(methods).map(
        ([method, operation]) =>
          `<tr><td>${method.toUpperCase()}</td><td><code>/api${escapeHtml(path)}</code></td><td>${escapeHtml(
            (operation as { summary?: string }).summary ?? '',
          )}</td></tr>`,
      ),
    );
    return context.html(
      `<!doctype html><html lang="en"><meta charset="utf-8"><title>Key Cellar: interface for programs</title>
<style nonce="${context.get('nonce')}">body{font:15px/1.5 system-ui;margin:2rem auto;max-width:70rem;padding:0 1rem;color:#14201b;background:#fbfcfa}table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid #c9d1c8;padding:.35rem .75rem;text-align:left}</style>
<h1>Interface for programs</h1><p>${escapeHtml(info.info.description)} The same with every schema: <a href="/api/openapi.json">openapi.json</a>.</p>
<table><thead><tr><th>Method</th><th>Path</th><th>What it does</th></tr></thead><tbody>${lines.join('')}</tbody></table></html>`,
    );
  });
}

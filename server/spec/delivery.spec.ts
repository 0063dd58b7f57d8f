import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import { access, identity, plan } from '@key-cellar/contract';
import { makeWorld, type World } from './support/world.js';

const script = `console.log('${'built '.repeat(200)}');`;

/** What is read, and what is sent to whoever reads that. */
const encodings = [
  ['gzip, deflate, br', 'br'],
  ['gzip', 'gzip'],
  ['br;q=0, gzip;q=0', null],
] as const;

/** An application as the build leaves it: a page, a script with its twins, and what to fetch early. */
function built(): string {
  const folder = mkdtempSync(join(tmpdir(), 'web-'));
  const browser = join(folder, 'browser');
  mkdirSync(browser);
  writeFileSync(join(browser, 'index.html'), '<html lang="en"><head></head><body><script nonce="__NONCE__"></script></body></html>');
  writeFileSync(join(browser, 'start-ab12cd34.js'), script);
  writeFileSync(join(browser, 'start-ab12cd34.js.br'), brotliCompressSync(script));
  writeFileSync(join(browser, 'start-ab12cd34.js.gz'), gzipSync(script));
  writeFileSync(join(browser, 'favicon.svg'), '<svg xmlns="http://www.w3.org/2000/svg"/>');
  const preload = {
    start: ['start-ab12cd34.js'],
    first: ['first-ab12cd34.js'],
    en: ['en.js'],
    de: ['de.js', 'sätze.js'],
    fonts: ['a.woff2'],
  };
  writeFileSync(join(folder, 'preload.json'), JSON.stringify(preload));
  return browser;
}

describe('what the server sends', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld({ webDir: built() });
  });
  afterAll(() => world.stop());

  const get = (path: string, headers: Record<string, string> = {}, login: 'keeper' | null = 'keeper'): Promise<Response> =>
    login ? world.as(login).fetch(path, { headers }) : fetch(`${world.base}${path}`, { headers });

  describe('of the application', () => {
    for (const [asked, sent] of encodings)
      it(`is a script compressed as ${sent ?? 'nothing'} for whoever reads ${asked}, and for good`, async () => {
        const response = await get('/start-ab12cd34.js', { 'accept-encoding': asked }, null);
        expect(response.headers.get('content-encoding')).toBe(sent);
        expect(response.headers.get('content-type')).toContain('text/javascript');
        expect(response.headers.get('cache-control')).toBe('public, max-age=31536000, immutable');
        expect(await response.text()).toBe(script);
      });

    it('is nothing for good whose name does not say what it holds', async () => {
      const response = await get('/favicon.svg', {}, null);
      expect(response.headers.get('cache-control')).toBeNull();
      expect(await response.text()).toContain('<svg');
    });

    const hrefs = async (headers: Record<string, string>, login: 'keeper' | null): Promise<string[]> => {
      const page = await (await get('/today', headers, login)).text();
      return [...page.matchAll(/<link rel="(?:modulepreload|preload)"[^>]*href="([^"]+)"/g)].map(([, href]) => href!);
    };

    it('is a page that asks early for what it needs, in its language', async () => {
      expect(await hrefs({}, null)).toEqual(['a.woff2', 'start-ab12cd34.js', 'en.js']);
      expect(await hrefs({ 'accept-language': 'de' }, null)).toEqual(['a.woff2', 'start-ab12cd34.js', 'de.js', 'sätze.js']);
    });

    it('is the first page too for whoever has signed in', async () => {
      expect(await hrefs({}, 'keeper')).toEqual(['a.woff2', 'start-ab12cd34.js', 'en.js', 'first-ab12cd34.js']);
    });
  });

  describe('in answer', () => {
    for (const [asked, sent] of encodings)
      it(`is compressed as ${sent ?? 'nothing'} when it is long and ${asked} is read`, async () => {
        const response = await get(`/api${access.acts.path}`, { 'accept-encoding': asked });
        expect(response.headers.get('content-encoding')).toBe(sent);
        expect(response.headers.get('vary')).toContain('Accept-Encoding');
        expect(response.headers.get('cache-control')).toBe('no-store');
        expect(((await response.json()) as { acts: unknown[] }).acts.length).toBeGreaterThan(50);
      });

    it('is left as it is when it is short', async () => {
      const response = await get(`/api${identity.me.path}`, { 'accept-encoding': 'br' });
      expect(response.headers.get('content-encoding')).toBeNull();
    });

    it('is sent again only when it has changed, where a browser may keep it', async () => {
      const path = `/api${plan.outline.path}`;
      const first = await get(path);
      const tag = first.headers.get('etag')!;
      expect(tag).toMatch(/^W\/"/);
      expect(first.headers.get('cache-control')).toBe('private, no-cache');
      const again = await get(path, { 'if-none-match': `"other", ${tag}` });
      expect(again.status).toBe(304);
      expect(await again.text()).toBe('');
      const parentId = world.ids.A01;
      await world.as('keeper').call(plan.makePlace, { body: { parentId, kind: 'folder', code: 'NEW', title: 'New' } });
      expect((await get(path, { 'if-none-match': tag })).status).toBe(200);
    });

    it('is nothing that one person’s browser would take for another’s', async () => {
      const path = `/api${plan.outline.path}`;
      const tag = (await get(path)).headers.get('etag')!;
      const other = await world.as('outsider').fetch(path, { headers: { 'if-none-match': tag } });
      expect(other.status).toBe(200);
      expect(other.headers.get('vary')).toContain('Cookie');
    });

    it('leaves the browser with nothing once somebody has signed out', async () => {
      const response = await world.as('reader').fetch(`/api${identity.signOut.path}`, {
        method: 'POST',
        body: '{}',
        headers: { 'content-type': 'application/json' },
      });
      expect(response.status).toBe(200);
      expect(response.headers.get('clear-site-data')).toBe('"cache"');
    });
  });
});

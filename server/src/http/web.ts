import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { serveStatic } from '@hono/node-server/serve-static';
import { directionOf } from '@key-cellar/words';
import { getCookie } from 'hono/cookie';
import { cookies } from '../kernel/index.js';
import type { HttpApp, HttpContext } from './context.js';
import { languageOf } from './language.js';

/** By the name of a part of the application or a language, the files that go with it (tools/lib/webBundle.mjs). */
type Preload = Readonly<Record<string, readonly string[]>>;

/** What a page tells the browser to fetch before the script that needs it asks: for a language, and for somebody who has signed in. */
function earlyFetches(webDir: string): (language: string, signedIn: boolean) => string {
  const file = join(webDir, '..', 'preload.json');
  const preload = existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as Preload) : {};
  const scripts = (name: string): string[] => (preload[name] ?? []).map((one) => `<link rel="modulepreload" href="${one}">`);
  const fonts = (preload['fonts'] ?? []).map((font) => `<link rel="preload" as="font" type="font/woff2" crossorigin href="${font}">`);
  return (language, signedIn) =>
    [
      ...fonts,
      ...scripts('begin'),
      ...scripts('start'),
      ...scripts(preload[language] ? language : 'en'),
      ...(signedIn ? scripts('first') : []),
    ].join('');
}

/** Serves the built web application; every address of its own router gets its page, in its language and with the nonce for styles. */
export function serveWeb(app: HttpApp, webDir: string | null): void {
  if (!webDir) {
    app.get('/', (context) => context.text('The web application is not built. Run "npm start".', 503));
    return;
  }
  const index = readFileSync(join(webDir, 'index.html'), 'utf8');
  const heads = earlyFetches(webDir);
  const page = (context: HttpContext): Response | Promise<Response> => {
    const language = languageOf(context);
    context.header('vary', 'Cookie, Accept-Language');
    return context.html(
      index
        .replaceAll('__NONCE__', context.get('nonce'))
        .replace('</head>', `${heads(language, getCookie(context, cookies.person) !== undefined)}</head>`)
        .replace('<html lang="en">', `<html lang="${language}" dir="${directionOf(language)}">`),
    );
  };
  app.get('/', page);
  app.use(
    '*',
    serveStatic({
      root: webDir,
      precompressed: true,
      onFound: (_path, context) => {
        // Its name says what it holds: what changes is called otherwise.
        if (/-[A-Z0-9]{8}\.\w+$/i.test(context.req.path)) context.header('cache-control', 'public, max-age=31536000, immutable');
      },
    }),
  );
  app.get('*', (context) =>
    // A file that is not there is not a page of the router: a script must never get HTML.
    /\.\w+$/.test(context.req.path) ? context.text('Not found', 404) : page(context),
  );
}

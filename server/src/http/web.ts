import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { serveStatic } from '@hono/node-server/serve-static';
import { directionOf } from '@key-cellar/words';
import type { HttpApp, HttpContext } from './context.js';
import { languageOf } from './language.js';

/** Serves the built web application; every address of its own router gets its page, in its language and with the nonce for styles. */
export function serveWeb(app: HttpApp, webDir: string | null): void {
  if (!webDir) {
    app.get('/', (context) => context.text('The web application is not built. Run "npm start".', 503));
    return;
  }
  const index = readFileSync(join(webDir, 'index.html'), 'utf8');
  const page = (context: HttpContext): Response | Promise<Response> => {
    const language = languageOf(context);
    context.header('vary', 'Cookie, Accept-Language');
    return context.html(
      index
        .replaceAll('__NONCE__', context.get('nonce'))
        .replace('<html lang="en">', `<html lang="${language}" dir="${directionOf(language)}">`),
    );
  };
  app.get('/', page);
  app.use(
    '*',
    serveStatic({
      root: webDir,
      onFound: (path, context) => {
        if (/-[A-Z0-9]{8}\.\w+$/.test(path)) context.header('cache-control', 'public, max-age=31536000, immutable');
      },
    }),
  );
  app.get('*', (context) =>
    // A file that is not there is not a page of the router: a script must never get HTML.
    /\.\w+$/.test(context.req.path) ? context.text('Not found', 404) : page(context),
  );
}

import { serve } from '@hono/node-server';
import type { Hono } from 'hono';

/** A small simulated service on loopback, on a free port of its own. */
export interface StandIn {
  readonly url: string;
  stop(): Promise<void>;
}

export function listen(app: Hono): Promise<StandIn> {
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: app.fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) => {
      resolve({
        url: `http://127.0.0.1:${port}`,
        stop: () =>
          new Promise((closed) => {
            server.close(() => closed());
            // Connections that callers keep would hold it open.
            if ('closeIdleConnections' in server) server.closeIdleConnections();
          }),
      });
    });
    server.on('error', reject);
  });
}

import type { AddressInfo } from 'node:net';
import { createAdaptorServer, type ServerType } from '@hono/node-server';

export interface Listening {
  readonly server: ServerType;
  readonly port: number;
}

/**
 * Serves an application over HTTP; resolves once it listens. Port 0 takes a free one. The socket is this process's own, also
 * where several run as one cluster. Rejects with the error of the socket, such as EADDRINUSE.
 */
export function listen(
  app: Pick<Parameters<typeof createAdaptorServer>[0], 'fetch'>,
  { port, host }: { port: number; host: string },
): Promise<Listening> {
  return new Promise((resolve, reject) => {
    const server = createAdaptorServer({ fetch: app.fetch });
    server.once('error', reject);
    server.listen({ port, host, exclusive: true }, () => {
      server.off('error', reject);
      resolve({ server, port: (server.address() as AddressInfo).port });
    });
  });
}

/** Takes no more, closes connections that nobody uses, and those still used after `graceMs`; resolves when all are gone. */
export function stopListening({ server }: Listening, graceMs: number): Promise<void> {
  return new Promise((closed) => {
    server.close(() => closed());
    if (!('closeIdleConnections' in server)) return;
    server.closeIdleConnections();
    setTimeout(() => server.closeAllConnections(), graceMs).unref();
  });
}

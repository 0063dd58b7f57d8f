import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import { SMTPServer } from 'smtp-server';
import type { StandIn } from './listen.js';

/** A mail server that takes everything, for nobody in particular, and keeps it as files (RFC 5322). */
export async function startMailServer(folder: string): Promise<StandIn> {
  await mkdir(folder, { recursive: true });
  let n = 0;
  const server = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: 20_000_000,
    logger: false,
    onData(stream, session, done) {
      buffer(stream)
        .then((bytes) => writeFile(join(folder, `${Date.now()}-${session.id}-${n++}.eml`), bytes))
        .then(() => done(), done);
    },
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  const { port } = server.server.address() as { port: number };
  return {
    url: `smtp://127.0.0.1:${port}`,
    stop: () => new Promise((resolve) => server.close(() => resolve())),
  };
}

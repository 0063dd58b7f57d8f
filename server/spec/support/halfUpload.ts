import { type ClientRequest, request } from 'node:http';
import { asOwner } from './database.js';
import type { World } from './world.js';

/** How many connections are writing chunks of content, and have neither kept nor dropped them yet. */
export async function writersOfChunks(database: string): Promise<number> {
  return asOwner(database, async (client) => {
    const { rows } = await client.query<{ n: number }>(
      `select count(*)::int as n from pg_locks where relation = 'content_chunk'::regclass and mode = 'RowExclusiveLock'`,
    );
    return rows[0]!.n;
  });
}

const soon = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 10));

/** Begins an upload of `bytes` by the editor and sends the first `sent` of them; resolves once the server is storing them. */
export async function beginUpload(
  world: World,
  base: string,
  name: string,
  bytes: Buffer,
  sent: number,
  answered: (status: number) => void = () => undefined,
  storing = async (): Promise<boolean> => (await writersOfChunks(world.database)) > 0,
): Promise<ClientRequest> {
  const upload = request(
    `${base}/api/uploads?name=${name}`,
    {
      method: 'POST',
      headers: {
        cookie: world.as('editor').cookie,
        'x-key-cellar': '1',
        'idempotency-key': name,
        'content-length': bytes.length,
      },
    },
    (response) => answered(response.statusCode!),
  );
  upload.on('error', () => answered(0));
  upload.write(bytes.subarray(0, sent));
  while (!(await storing())) await soon();
  return upload;
}

/** Resolves once nothing is being stored any more. */
export async function uploadsEnded(world: World): Promise<void> {
  while ((await writersOfChunks(world.database)) > 0) await soon();
}

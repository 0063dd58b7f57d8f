import { identity } from '@key-cellar/contract';
import { startServer, type Running } from '../../src/index.js';
import { configFor, dropDatabase, freshDatabase } from './database.js';
import { Client, password } from './world.js';

/** A repository with nothing in it but the one who founded it. */
export interface Founded {
  readonly database: string;
  readonly running: Running & { port: number };
  readonly base: string;
  /** Who founded it, signed in. */
  readonly founder: Client;
  stop(): Promise<void>;
}

export async function found(given: { repository?: string; name?: string; login?: string } = {}): Promise<Founded> {
  const { repository = 'Live', name = 'Person keeper', login = 'keeper' } = given;
  const database = await freshDatabase();
  const running = await startServer(configFor(database));
  const base = `http://127.0.0.1:${running.port}`;
  await new Client(base, '').call(identity.makeFirstKeeper, { body: { repository, name, login, password } });
  const stop = async (): Promise<void> => {
    await running.stop();
    await dropDatabase(database);
  };
  return { database, running, base, founder: await signedInAt(base, login), stop };
}

/** Somebody, signed in with the password that everybody has in specs. */
export async function signedInAt(base: string, login: string): Promise<Client> {
  const response = await new Client(base, '').fetch(`/api${identity.signIn.path}`, {
    method: 'POST',
    body: JSON.stringify({ login, password }),
    headers: { 'content-type': 'application/json' },
  });
  return new Client(base, response.headers.get('set-cookie')!.split(';')[0]!);
}

import { identity } from '@key-cellar/contract';
import type { ProviderPerson } from '../../src/standins/identityProvider.js';
import { Client } from './world.js';

export const somebody = (sub: string, email: string, groups: string[] = [], verified = true): ProviderPerson => ({
  ...{ sub, name: `Somebody ${sub}`, preferred_username: sub, email, email_verified: verified, groups },
});

/** What somebody does at the provider: says who they are. Gives what the browser is sent back with. */
export async function atProvider(url: string, sub: string, factor = false): Promise<string> {
  const fields = new URLSearchParams(new URL(url).search);
  fields.set('sub', sub);
  if (factor) fields.set('factor', 'yes');
  const response = await fetch(`${new URL(url).origin}/authorize`, { method: 'POST', body: fields, redirect: 'manual' });
  return new URL(response.headers.get('location')!).search;
}

/** A browser that signs in by a provider: what it was given as cookies goes along. */
export class ProviderBrowser {
  readonly cookies = new Map<string, string>();

  constructor(
    private readonly base: string,
    private readonly usually: string,
    cookie = '',
  ) {
    this.keep(cookie ? [cookie] : []);
  }

  private keep(set: readonly string[]): void {
    for (const one of set) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(one)!;
      this.cookies.set(name!, value!);
    }
  }

  get client(): Client {
    return new Client(this.base, [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; '));
  }

  async post(path: string, body: object): Promise<{ status: number; body: Record<string, string> }> {
    const response = await this.client.fetch(`/api${path}`, {
      method: 'POST',
      body: JSON.stringify(body),
      headers: { 'content-type': 'application/json' },
    });
    this.keep(response.headers.getSetCookie());
    return { status: response.status, body: (await response.json()) as Record<string, string> };
  }

  /** Where it is sent to; the status where it is not. */
  async begin(by = this.usually, link = false): Promise<string> {
    const came = await this.post(`/sign-in/with/${by}`, { link });
    return came.body['url'] ?? `${came.status}`;
  }

  finish = (sent: string, by = this.usually) => this.post(`/sign-in/from/${by}`, { sent });

  /** The whole way; gives what came of it. */
  async signIn(sub: string, { by = this.usually, factor = false, link = false } = {}): Promise<string> {
    const { status, body } = await this.finish(await atProvider(await this.begin(by, link), sub, factor), by);
    return status === 200 ? body['came']! : `${status} ${body['type']!.split(':').at(-1)!}`;
  }

  /** As whom it is signed in; the status where it is not. */
  me = (): Promise<string | number> =>
    this.client.call(identity.me).then(
      ({ login }) => login,
      (error: { status: number }) => error.status,
    );
}

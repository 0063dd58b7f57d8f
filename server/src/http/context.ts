import type { HttpBindings } from '@hono/node-server';
import type { Context, Hono } from 'hono';
import type { SignedIn, Visiting } from '../kernel/index.js';

/** What every handler finds of a request: who asks, which pass is open, whether they still have to set up a second factor, from where, and the nonce of its page. */
export interface HttpEnv {
  Bindings: HttpBindings;
  Variables: { person: SignedIn | null; visitor: Visiting; address: string; nonce: string };
}
export type HttpContext = Context<HttpEnv>;
export type HttpApp = Hono<HttpEnv>;

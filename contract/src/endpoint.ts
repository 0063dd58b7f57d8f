import type * as z from 'zod';

type Schema = z.ZodType;

/** One route on the wire. Both sides are typed from it; the OpenAPI document is made from it. */
export interface Endpoint<P extends Schema = Schema, Q extends Schema = Schema, B extends Schema = Schema, R extends Schema = Schema> {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** With `{name}` for parameters, under `/api`. */
  readonly path: string;
  readonly summary: string;
  /** `public` routes need no session. */
  readonly who: 'public' | 'signedIn';
  readonly params: P;
  readonly query: Q;
  readonly body: B;
  readonly response: R;
}

export type ParamsOf<E> = E extends Endpoint<infer P> ? z.output<P> : never;
export type QueryOf<E> = E extends Endpoint<Schema, infer Q> ? z.output<Q> : never;
export type BodyOf<E> = E extends Endpoint<Schema, Schema, infer B> ? z.output<B> : never;
export type ResponseOf<E> = E extends Endpoint<Schema, Schema, Schema, infer R> ? z.output<R> : never;

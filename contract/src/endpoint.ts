import type * as z from 'zod';

type Schema = z.ZodType;

/** One route on the wire. Both sides are typed from it; the OpenAPI document is made from it. */
export interface Endpoint<
  P extends Schema = Schema,
  Q extends Schema = Schema,
  B extends Schema = Schema,
  R extends Schema = Schema,
  C extends boolean = boolean,
> {
  readonly method: 'get' | 'post' | 'put';
  /** Whether it changes something. What does not may still be a `post`: its question is too long for an address. */
  readonly changes: C;
  /** With `{name}` for parameters, under `/api`. */
  readonly path: string;
  readonly summary: string;
  /** What its body is: JSON by the schema, or the bytes of a file as they are. */
  readonly sends: 'json' | 'bytes';
  /** `public` routes need no session. */
  readonly who: 'public' | 'signedIn';
  /** Whether somebody who is signed in may come here before they have set up a second factor that is asked of them. */
  readonly early: boolean;
  /** Whether a browser may keep its answer and ask whether it has changed: what is large and changes seldom, and holds no record. */
  readonly kept: boolean;
  /** How many bytes its body may have. */
  readonly most: number;
  readonly params: P;
  readonly query: Q;
  readonly body: B;
  readonly response: R;
}

export type ParamsOf<E> = E extends Endpoint<infer P> ? z.output<P> : never;
export type QueryOf<E> = E extends Endpoint<Schema, infer Q> ? z.output<Q> : never;
export type BodyOf<E> = E extends Endpoint<Schema, Schema, infer B> ? z.output<B> : never;
/** The endpoints of an area that change something, and those that only ask. */
export type ChangingOf<A> = { readonly [K in keyof A as A[K] extends { readonly changes: true } ? K : never]: A[K] };
export type AskingOf<A> = { readonly [K in keyof A as A[K] extends { readonly changes: true } ? never : K]: A[K] };
export type ResponseOf<E> = E extends Endpoint<Schema, Schema, Schema, infer R> ? z.output<R> : never;

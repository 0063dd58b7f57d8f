/**
 * The answer of an act by which a session begins or ends: whoever speaks HTTP hands the token on, or takes it away. People and visitors have
 * cookies of their own.
 */
export class SessionChange {
  constructor(
    readonly begins: { readonly token: string; readonly maxAgeSeconds: number } | null,
    readonly of: 'person' | 'visitor' = 'person',
  ) {}
}

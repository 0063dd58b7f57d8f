/** The answer of an act by which a session begins or ends: whoever speaks HTTP hands the token on, or takes it away. */
export class SessionChange {
  constructor(readonly begins: { readonly token: string; readonly maxAgeSeconds: number } | null) {}
}

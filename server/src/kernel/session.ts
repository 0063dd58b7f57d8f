/** Cookies by which a browser is known again: of a person’s session, of a visitor’s, and of a sign-in that is under way elsewhere. */
export const cookies = { person: 'cellar_session', visitor: 'cellar_visitor', leaving: 'cellar_leaving' } as const;

/** The answer of an act that gives a browser a token, or takes it away: whoever speaks HTTP hands it on. */
export class SessionChange {
  constructor(
    readonly begins: { readonly token: string; readonly maxAgeSeconds: number } | null,
    readonly of: keyof typeof cookies = 'person',
    readonly answer: object = {},
  ) {}
}

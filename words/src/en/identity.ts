/** People and sessions. */
export const identity = {
  'identity.tooManyPeopleSigning': 'Too many people are signing in just now. Try again in a moment.',
  'identity.tooManyTries': 'Too many wrong tries. Wait a quarter of an hour, then try again.',
  'identity.wrongSignIn': 'Login or password is wrong.',
} as const;

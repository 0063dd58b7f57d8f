/** People and sessions. */
export const identity = {
  'identity.groupNameTaken': 'There is a group {name} already.',
  'identity.lastAdministrator': 'After this, nobody could set up the repository. Give someone else the profile Administrator first.',
  'identity.loginTaken': 'Someone signs in as {login} already.',
  'identity.noGroup': 'is no group',
  'identity.noHeir': 'must be another person who is still here',
  'identity.noMember': 'is no person or group here',
  'identity.notOneself': 'Nobody lets themselves go. Another administrator can.',
  'identity.passwordCommon': 'is one of the passwords that everyone tries first',
  'identity.passwordNames': 'must not contain a name, the login or the repository’s name',
  'identity.passwordRepeats': 'has too few different characters',
  'identity.tooManyPeopleSigning': 'Too many people are signing in just now. Try again in a moment.',
  'identity.tooManyTries': 'Too many wrong tries. Wait a quarter of an hour, then try again.',
  'identity.wasLetGo': '{name} was let go. Bring them back first.',
  'identity.whoSetsUp': 'Administrators of the whole repository can.',
  'identity.wrongOld': 'is not your password',
  'identity.wrongSignIn': 'Login or password is wrong.',
} as const;

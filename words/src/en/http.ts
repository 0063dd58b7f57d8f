/** What is wrong with a request itself. */
export const http = {
  'http.forPeople': 'This is for people, not for programs.',
  'http.keepersAuditorsLookAt': 'Keepers and auditors look at the whole ledger.',
  'http.notFound': 'There is no such address.',
  'http.notJson': 'The body is not JSON.',
  'http.notUtf8': 'The body is not UTF-8.',
  'http.otherHost': 'This server is not asked for under this name. HOSTS names those that it has.',
  'http.otherSite': 'This request was started by another site, so it was not carried out.',
  'http.scopeMissing': 'The token is not for this: its scope lacks {scope}.',
  'http.theWhole': 'the whole',
  'http.tooDeep': 'Lists and objects are nested more than {deepest} deep.',
  'http.tooLarge': 'This is larger than {most}, the most that is taken in one piece.',
  'http.tooSlow': 'This came so slowly that it was given up. Nothing of it was stored; send it again over a better line.',
  'http.uploadBroken': 'The connection broke before the whole file was here. Nothing of it was stored; send it again.',
  'http.versionMustNumberFrom': 'The version must be a number, from 1.',
  'http.wrongInput': 'In the {where, select, query {query} other {body}}, {field} {problem}.',
  'http.wrongToken': 'This token does not work: it has ended, or never was one. An administrator can make another.',
} as const;

/** Mail. */
export const mail = {
  'mail.digest': '{n, plural, one {One message} other {# messages}} from {repository}',
  'mail.foot': 'Sent by Key Cellar for {repository}. Nobody reads what is sent back.',
  'mail.footChosen': 'Sent by Key Cellar for {repository}. Under Messages you choose what comes by mail. Nobody reads what is sent back.',
  'mail.forgot': 'Another password for {repository}',
  'mail.forgotBody':
    'Somebody at {from} asked for another password for you. With this link you choose one; it works once, within {hours, plural, one {an hour} other {# hours}}. If it was not you, do nothing: your password stays.',
  'mail.hello': 'Dear {name},',
  'mail.invited': 'Your access to {repository}',
  'mail.invitedBody':
    '{by} has added you to {repository}. With this link you choose your password. It works once, within {days, plural, one {a day} other {# days}}.',
  'mail.open': 'Open in Key Cellar',
  'mail.test': 'A mail from {repository}, to try it',
  'mail.testBody': 'Mail leaves, and arrives here.',
} as const;

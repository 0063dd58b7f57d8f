export { meaningOf, openMailer } from './mailer.js';
export { openReturnAddresses, openReturns, readReport, returnAddresses, type ReturnAddresses } from './returns.js';
export { mailDigests, mailMessages, mailTo } from './queue.js';
export {
  chooseMail,
  lockMail,
  mailSetting,
  mailsNotArrived,
  mailsOfMessages,
  receivers,
  recentMails,
  sendAgain,
  writeMailSetting,
  type MailRow,
} from './store.js';

export { meaningOf, openMailer } from './mailer.js';
export { mailDigests, mailMessages, mailTo } from './queue.js';
export {
  chooseMail,
  lockMail,
  mailSetting,
  mailsOfMessages,
  receivers,
  recentMails,
  sendAgain,
  writeMailSetting,
  type MailRow,
} from './store.js';

import MailComposer from 'nodemailer/lib/mail-composer/index.js';
import { paragraphs, type Subject } from './text.js';
import type { Random } from '../random.js';

/** A mail (RFC 5322) with attachments (MIME). */
export function eml(subject: Subject, random: Random, attachments: readonly { filename: string; content: Buffer }[]): Promise<Buffer> {
  const composer = new MailComposer({
    from: { name: subject.author, address: 'desk@marrowick.example' },
    to: 'records@marrowick.example',
    subject: subject.title,
    date: new Date(`${subject.createdOn}T10:20:00Z`),
    messageId: `<${subject.number.replace(/[^\w]/g, '-')}@marrowick.example>`,
    text: paragraphs(subject, random).join('\n\n'),
    baseBoundary: subject.number.replace(/[^\w]/g, ''),
    attachments: [...attachments],
  });
  return composer.compile().build();
}

import { message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';

/** What a mail says: to whom, and parts with a heading, a text and perhaps a link (an absolute address). */
export interface Composed {
  readonly name: string;
  readonly parts: readonly { readonly heading: string | null; readonly text: string; readonly link: string | null }[];
  /** Whether the person may choose not to get mails of the kind. */
  readonly chosen: boolean;
}

const escaped = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
const paragraphs = (text: string): string =>
  text
    .split(/\n{2,}/)
    .map((p) => `<p style="margin:0 0 12px">${escaped(p).replaceAll('\n', '<br>')}</p>`)
    .join('');

/** A mail as plain text and as HTML, both saying the same, in the language of the speaker. */
export function compose(speaker: Speaker, repository: string, { name, parts, chosen }: Composed): { text: string; html: string } {
  const hello = speaker.say(message('mail.hello', { name }));
  const open = speaker.say(message('mail.open'));
  const foot = speaker.say(message(chosen ? 'mail.footChosen' : 'mail.foot', { repository }));
  const text = [
    hello,
    ...parts.flatMap((p) => [
      ...(p.heading === null ? [] : [`${p.heading}\n${'-'.repeat(Math.min(p.heading.length, 60))}`]),
      p.text,
      ...(p.link === null ? [] : [p.link]),
    ]),
    `-- \n${foot}`,
  ].join('\n\n');
  const body = parts
    .map(
      (p) =>
        `${p.heading === null ? '' : `<h2 style="font-size:16px;margin:18px 0 6px">${escaped(p.heading)}</h2>`}${paragraphs(p.text)}${
          p.link === null ? '' : `<p style="margin:0 0 16px"><a href="${escaped(p.link)}" style="color:#143d33">${escaped(open)}</a></p>`
        }`,
    )
    .join('');
  const html =
    `<!doctype html><html lang="${speaker.language}"><head><meta charset="utf-8"><meta name="color-scheme" content="light dark"></head>` +
    `<body style="font:15px/1.5 system-ui,sans-serif;max-width:640px;margin:0 auto;padding:20px">` +
    `<p style="margin:0 0 12px">${escaped(hello)}</p>${body}<hr style="border:0;border-top:1px solid #c9d1c8;margin:24px 0 10px">` +
    `<p style="font-size:12.5px;color:#4a5a52;margin:0">${escaped(foot)}</p></body></html>`;
  return { text, html };
}

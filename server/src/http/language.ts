import { isLanguage, languages, pseudoLanguage } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import { accepts } from 'hono/accepts';
import { getCookie } from 'hono/cookie';
import { speakerOf } from '../kernel/index.js';
import type { HttpContext } from './context.js';

/** Kept by the web application: the language that was chosen in this browser last. */
const languageCookie = 'cellar_language';

/** The first language asked for that we speak, most wanted first: `de-AT` is content with `de` (RFC 4647 §3.4). */
const lookUp: NonNullable<Parameters<typeof accepts>[1]['match']> = (asked, { supports, default: otherwise }) => {
  const wanted = asked.filter(({ q }) => q > 0).sort((a, b) => b.q - a.q);
  for (const { type } of wanted) {
    const primary = type.toLowerCase().split('-')[0]!;
    if (supports.includes(primary)) return primary;
  }
  return otherwise;
};

/** The language of a page: what was chosen in this browser, else what it asks for (RFC 9110 §12.5.4). */
export function languageOf(context: HttpContext): string {
  const chosen = getCookie(context, languageCookie);
  if (isLanguage(chosen) || chosen === pseudoLanguage) return chosen;
  return accepts(context, { header: 'Accept-Language', supports: [...languages], default: languages[0], match: lookUp });
}

/** Who speaks to whoever asked: in the language that the person chose, else in that of their page or program. */
export function speakerFor(context: HttpContext): Speaker {
  const page = languageOf(context);
  return speakerOf(page === pseudoLanguage ? page : (context.get('person')?.language ?? page));
}

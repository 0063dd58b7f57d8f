import type { Message, Value } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';

let speaker: Speaker | undefined;

/** Lets somebody speak from now on; done once, before anything of the interface is loaded. */
export function speakWith(who: Speaker): void {
  speaker = who;
}

/** A message of the core as a sentence in the language of the page. Throws before a language was loaded. */
export function say(message: Message): string {
  return speaker!.say(message);
}

/** One value as it stands in a sentence: a period, a list, a day. */
export function word(value: Value): string {
  return speaker!.word(value);
}

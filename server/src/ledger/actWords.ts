import { isMessage, message, told, type Code, type Message } from '@key-cellar/words';
import { en } from '@key-cellar/words/en';

/** An act of the ledger as a reader says it. What no catalogue knows, such as the act of a newer program, stays as it is. */
export function actWords(act: string): Message {
  return Object.hasOwn(en, `act.${act}`) ? message(`act.${act}` as Code) : told(act);
}

/** Acts of the program on one record that say why. What people write into an entry is never taken for a message. */
const withReason = new Set(['kept as a sample', 'was not destroyed', 'was not transferred']);

/** What was noted at an entry, by a person or by the program; null when nothing was. */
export function noteWords(act: string, note: string | null, after: unknown): Message | null {
  const why = withReason.has(act) ? (after as { why?: unknown } | null)?.why : undefined;
  if (isMessage(why) && Object.hasOwn(en, why.say)) return why;
  return note === null ? null : told(note);
}

import type { facts as english } from '../en/facts.js';

/** Record types, parties and business objects. */
export const facts: Record<keyof typeof english, string> = {
  'facts.cannotChooseAnotherAsk': '{fact} kann hier nicht {value} sein. Wählen Sie etwas anderes, oder fragen Sie einen Verwalter.',
  'facts.codeTaken': 'Eine Unterlagenart „{code}“ gibt es schon.',
  'facts.editorsKeepersLookAfter': 'Parteien und Gegenstände pflegen Bearbeiter und Verwalter.',
  'facts.gapsCounted': '{changed} von {looked} Unterlagen haben jetzt andere Lücken.',
  'facts.keepersDecideWhatRecord': 'Welche Unterlagenarten es gibt, entscheiden Verwalter.',
  'facts.mustNameOneThere': '{title} muss etwas nennen, das es gibt und von dem Sie wissen dürfen.',
  'facts.mustNameOneYou':
    '{title} muss etwas nennen, das Sie vermerken dürfen, denn es gilt ab heute als abgelöst; wer die Stelle betreut, kann es Ihnen erlauben.',
  'facts.notUnique': '{title} kann nicht eindeutig werden: {n} Unterlagen haben {value}.',
  'facts.recordsHave': '{n} Unterlagen haben {value}.',
  'facts.taken': '{fact} {value} ist durch {number} vergeben.',
  'facts.thereOneCalledAlready': '{name} gibt es schon.',
};

import type { identity as english } from '../en/identity.js';

/** People and sessions. */
export const identity: Record<keyof typeof english, string> = {
  'identity.tooManyPeopleSigning': 'Gerade melden sich zu viele Leute an. Versuchen Sie es gleich noch einmal.',
  'identity.tooManyTries': 'Zu viele Fehlversuche. Warten Sie eine Viertelstunde und versuchen Sie es dann noch einmal.',
  'identity.wrongSignIn': 'Kennung oder Passwort ist falsch.',
};

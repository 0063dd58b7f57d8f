import type { identity as english } from '../en/identity.js';

/** People and sessions. */
export const identity: Record<keyof typeof english, string> = {
  'identity.groupNameTaken': 'Eine Gruppe {name} gibt es schon.',
  'identity.lastAdministrator':
    'Danach könnte niemand mehr das Repositorium einrichten. Geben Sie zuerst jemand anderem das Profil Administrator.',
  'identity.loginTaken': 'Als {login} meldet sich schon jemand an.',
  'identity.noGroup': 'ist keine Gruppe',
  'identity.noHeir': 'muss eine andere Person sein, die noch da ist',
  'identity.noMember': 'ist hier weder Person noch Gruppe',
  'identity.notOneself': 'Niemand scheidet sich selbst aus. Das kann eine andere Administratorin oder ein anderer Administrator.',
  'identity.passwordCommon': 'gehört zu den Passwörtern, die alle zuerst probieren',
  'identity.passwordNames': 'darf weder Namen noch Anmeldenamen noch den Namen des Repositoriums enthalten',
  'identity.passwordRepeats': 'hat zu wenige verschiedene Zeichen',
  'identity.tooManyPeopleSigning': 'Gerade melden sich zu viele Leute an. Versuchen Sie es gleich noch einmal.',
  'identity.tooManyTries': 'Zu viele Fehlversuche. Warten Sie eine Viertelstunde und versuchen Sie es dann noch einmal.',
  'identity.wasLetGo': '{name} ist ausgeschieden. Holen Sie die Person erst zurück.',
  'identity.whoSetsUp': 'Das können Administratoren des ganzen Repositoriums.',
  'identity.wrongOld': 'ist nicht Ihr Passwort',
  'identity.wrongSignIn': 'Kennung oder Passwort ist falsch.',
};

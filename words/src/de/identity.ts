import type { identity as english } from '../en/identity.js';

/** People and sessions. */
export const identity: Record<keyof typeof english, string> = {
  'identity.codeNeeded': 'Geben Sie den Code ein, den Ihre App zeigt, oder einen Notfallcode.',
  'identity.everyoneStays': 'Die Gruppe aller hat keine eigenen Mitglieder, ist in keiner Gruppe und bleibt in Gebrauch.',
  'identity.groupNameTaken': 'Eine Gruppe {name} gibt es schon.',
  'identity.hasSecond': 'Es gibt schon einen zweiten Faktor, oder es wurde keiner begonnen.',
  'identity.lastAdministrator':
    'Danach könnte niemand mehr das Repositorium einrichten. Geben Sie zuerst jemand anderem das Profil Administrator.',
  'identity.loginTaken': 'Als {login} meldet sich schon jemand an.',
  'identity.mailNotAgain': 'Sie ist hinausgegangen oder unterwegs: Sie wird nicht noch einmal gesendet.',
  'identity.noGroup': 'ist keine Gruppe',
  'identity.noHeir': 'muss eine andere Person sein, die noch da ist',
  'identity.noMailTo': 'Hier geht keine Mail hinaus, oder es gibt keine Adresse dafür.',
  'identity.noMember': 'ist hier weder Person noch Gruppe',
  'identity.noSecond': 'Es gibt keinen zweiten Faktor.',
  'identity.notFresh': 'Melden Sie sich zuerst ab und wieder an: Sie haben kein Passwort, das zeigen könnte, wer Sie sind.',
  'identity.notOneself': 'Niemand scheidet sich selbst aus. Das kann eine andere Administratorin oder ein anderer Administrator.',
  'identity.passwordCommon': 'gehört zu den Passwörtern, die alle zuerst probieren',
  'identity.passwordNames': 'darf weder Namen noch Anmeldenamen noch den Namen des Repositoriums enthalten',
  'identity.passwordRepeats': 'hat zu wenige verschiedene Zeichen',
  'identity.secondAsked': 'Eine Gruppe, in der Sie sind, verlangt ihn.',
  'identity.secondNeeded': 'Richten Sie erst einen zweiten Faktor ein: Eine Gruppe, in der Sie sind, verlangt ihn.',
  'identity.tooManyPeopleSigning': 'Gerade melden sich zu viele Leute an. Versuchen Sie es gleich noch einmal.',
  'identity.tooManyTries': 'Zu viele Fehlversuche. Warten Sie eine Viertelstunde und versuchen Sie es dann noch einmal.',
  'identity.wasLetGo': '{name} ist ausgeschieden. Holen Sie die Person erst zurück.',
  'identity.whoSetsUp': 'Das können Administratoren des ganzen Repositoriums.',
  'identity.wrongCode': 'ist nicht der Code dieses Augenblicks oder wurde schon benutzt',
  'identity.wrongOld': 'ist nicht Ihr Passwort',
  'identity.wrongSignIn': 'Kennung oder Passwort ist falsch.',
};

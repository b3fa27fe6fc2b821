import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';
import { de as frame } from '../../../frame/messages/de.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  keyDomain: {
    ...frame.keyDomain,
    hint:
      'Jeder Passkey und Sicherheitsschlüssel wird für eine Domäne gemacht und antwortet nur auf deren ' +
      'Seiten: das ist, was man niemandem abschwatzen kann. Wählen Sie sie, bevor der erste eingerichtet ' +
      'wird.',
    domain: 'Domäne',
    notChosen: 'folgt der Adresse des Dienstes, bis der erste Schlüssel eingerichtet wird',
    keys: 'Schlüssel, die dafür gehalten werden',
    ownPages: 'Unsere eigenen Seiten',
    appId: 'U2F-Application-Id',
    appIdHint:
      'Nur wenn Sicherheitsschlüssel aus der Zeit vor WebAuthn übernommen wurden: die Adresse, für die sie registriert sind',
    change: 'Domäne ändern',
    changeAnyway: 'Ändern und {keys, plural, one {# Schlüssel} other {# Schlüssel}} stilllegen',
    whatItMeans:
      'Eng gefasst können nur Seiten des Dienstes selbst nach Schlüsseln fragen. Weiter gefasst können es ' +
      'auch Seiten anderer Rechner der Domäne, sobald sie bei ihrer Anwendung genannt sind; dafür darf der ' +
      'Dienst dort umziehen.',
    orphans:
      '{orphaned, plural, one {# Schlüssel} other {# Schlüssel}} von {people, plural, one {# Person} other ' +
      '{# Personen}} würden nicht mehr antworten. {withoutAnother, plural, one {# Person hat} other {# ' +
      'Personen haben}} außer einem Passwort nichts anderes. Die Schlüssel werden stillgelegt und kommen ' +
      'mit ihrer Domäne zurück.',
    orphansNone: 'Kein Schlüssel, den jemand hält, hört auf zu antworten.',
    broughtBack: '{broughtBack, plural, one {# Schlüssel} other {# Schlüssel}} von früher würden wieder antworten.',
    elsewhere:
      '{keys, plural, one {# Schlüssel ist} other {# Schlüssel sind}} für eine andere Domäne gemacht und ' +
      'antworten nicht mehr. Man richtet sie neu ein, oder die Domäne wird zurückgestellt.',
    problems: {
      address:
        'Der Dienst steht unter der Adresse {host}, und Browser machen Schlüssel nur für Namen. Geben Sie ' +
        'ihm einen Namen in Ihrem Netz und setzen Sie NLATCH_PUBLIC_URL darauf.',
      'not-a-domain': 'Das ist keine Domäne. Wählen Sie eine andere.',
      'too-wide': 'Unter dieser Domäne haben auch andere Namen, und Browser lehnen sie ab. Wählen Sie Ihre eigene.',
      'other-host':
        'Der Dienst steht unter {host}, außerhalb dieser Domäne: hier kann kein Schlüssel antworten. Ändern ' +
        'Sie die Domäne oder die Adresse des Dienstes.',
    },
    origins: 'Wo Schlüssel antworten dürfen',
    application: 'Anwendung',
    origin: 'Herkunft ihrer Seiten',
    how: 'Liegt',
    within: 'in der Domäne',
    related: 'außerhalb: Browser suchen sie im Verzeichnis verwandter Herkünfte',
    editOrigins: 'Sagen, wo',
    noOrigins:
      'Auf keinen eigenen Seiten. Eine Anwendung, die Leute zu unseren Anmeldeseiten schickt, braucht hier ' +
      'nichts; eine, deren eigene Seiten nach Schlüsseln fragen, schon.',
    originsHint: 'Nur von diesen Seiten; was eine andere sammelt, öffnet hier nichts.',
    originHint:
      'Eine je Zeile, wie Browser sie schreiben: https://berths.wexmoor.example, mit dem Port, wo er nicht der übliche ist',
    documentHere: 'Browser suchen das Verzeichnis unter {document}; dieser Dienst antwortet dort.',
    documentThere:
      'Browser suchen das Verzeichnis unter {document}. Lassen Sie den Server dort diese Adresse an {ours} weitergeben.',
    tooManyLabels:
      'Das Verzeichnis hat {labels} verschiedene Namen; Browser sehen nur {most} an. Was danach kommt, bekommt keine Antworten.',
  },
};

import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  title: 'Zahlen',
  hint: 'Zu jedem Bild gehört eine Tabelle, und jede Zahl führt zu den Namen dahinter.',
  period: 'Wie weit zurück',
  periods: {
    day: 'der letzte Tag, nach Stunden',
    week: 'die letzte Woche, nach je sechs Stunden',
    month: 'der letzte Monat, nach Tagen',
    'two-months': 'die letzten zwei Monate, nach Tagen',
  },
  signIns: 'Anmeldungen im Lauf der Zeit',
  signInsHint: 'Tage und Stunden sind die der Weltzeit (UTC). Der letzte Balken ist noch nicht zu Ende.',
  noSignIns: 'Noch hat sich niemand angemeldet.',
  stretch: 'Ab',
  groups: 'Womit die Personen jeder Gruppe ausgestattet sind',
  groupsHint: 'Aktive Personen der größten Gruppen, mit allen in den Gruppen darin.',
  groupsMore: 'Die {shown} größten von {groups} Gruppen.',
  noGroups: 'Es gibt keine Gruppe, in der jemand ist.',
  group: 'Gruppe',
  tokens: 'Hardware-Tokens nach dem Jahr, seit dem sie laufen',
  tokensHint:
    'Nach ihrem ersten Tag, wo eine Datei ihn nannte, sonst nach dem ihres Eingangs. Batterien halten fünf bis acht Jahre.',
  noTokens: 'Kein Token ist auf Lager oder bei jemandem.',
  year: 'Seit',
  sources: 'Woher Anmeldungen kommen',
  sourcesHint:
    'Die letzten dreißig Tage, soweit eine Adresse bekannt ist: {count, plural, one {# Anmeldung} other {# Anmeldungen}}.',
  sourcesLatest: 'Die letzten {count} Anmeldungen, deren Adresse bekannt ist.',
  noSources: 'Von keiner Anmeldung ist eine Adresse bekannt: Anwendungen nennen sie, wo ihre Verbindung es darf.',
  network: 'Netz',
  elsewhere: 'kein Netz mit einem Namen',
  letIn: 'eingelassen',
  others: 'nicht eingelassen',
};

import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  meets: {
    title: 'Was die Person antrifft',
    hint: 'An jeder Anwendung jetzt, wenn alles richtig nachgewiesen wird.',
    application: 'Anwendung',
    outcome: 'Ergebnis',
    asks: 'Gefragt wird',
    serves: 'Mit',
    why: 'Warum nicht',
    vouches: '(die Anwendung kann das Passwort selbst geprüft haben)',
  },
  walk: {
    title: 'Durchgang',
    hint:
      'Gehen Sie eine Anmeldung von Hand durch und sehen Sie, was jemand an einer Anwendung antrifft. Es ' +
      'ist eine echte: falsche Nachweise zählen, Codes sind verbraucht, und sie steht im Protokoll.',
    application: 'Anwendung',
    loginName: 'Anmeldename der Person',
    checked: 'Die Anwendung sagt, sie habe das Passwort geprüft',
    claims: 'Angaben',
    begin: 'Beginnen',
    answer: 'Antworten',
    again: 'Noch eine',
    story: 'Was geschah',
    letIn: 'Eingelassen',
    way: 'Weg',
    noApplication: 'Tragen Sie zuerst eine Anwendung ein.',
  },
  activity: {
    risk: 'Risiko',
    signals: 'Was auffiel',
    judged: 'Jemand aus der Verwaltung sagte: {verdict}.',
    itWasThem: 'Sie war es',
    itWasNot: 'Sie war es nicht',
    judgeHint:
      'War sie es, so ist der Ort von nun an vertraut. Wenn nicht, enden alle ihre Sitzungen auf den ' +
      'Anmeldeseiten und kein Browser von ihr ist mehr gemerkt; setzen Sie außerdem ihr Passwort und sehen ' +
      'Sie ihren Schlüsselbund an.',
    csvFile: 'anmeldungen.csv',
    title: 'Anmeldungen',
    onDay: 'Nur {day}',
    sinceThen: 'Seit {day}',
    day: 'Tag',
    dayWrong: 'Ein Tag wie 2026-11-23, dann die Eingabetaste.',
    person: 'Person, nach Anmeldename',
    personWrong: 'Niemand hat diesen Anmeldenamen.',
    allDays: 'Alle Tage zeigen',
    when: 'Wann',
    who: 'Wer',
    where: 'Wo',
    inTheName: 'durch {name}, in ihrem Namen',
    somebodyGone: 'jemand, der seither gelöscht wurde',
    outcome: 'Ausgang',
    why: 'Warum',
    from: 'Von',
    byHand: 'von Hand',
    state: 'Ausgang',
    all: 'Alle',
    application: 'Anwendung',
    emptyTitle: 'Keine Anmeldungen zu zeigen',
    emptyHint: 'Nichts passt, oder es hat sich noch niemand angemeldet.',
    story: 'Die Geschichte dieser Anmeldung',
    claims: 'Geglaubte Angaben',
    ignored: 'Nicht geglaubte Angaben',
    id: 'Kennung',
    browser: 'Browser',
    after: 'Nach',
    seconds: '{n} s',
  },
};

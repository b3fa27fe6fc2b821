import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  administrators: {
    title: 'Verwaltung',
    holders: 'Wer eine Rolle hat',
    holdersHint:
      'Rollen gibt man auf der Seite einer Person. Nur Eigentümer geben und nehmen sie; niemand ändert die eigenen.',
    who: 'Name',
    role: 'Rolle',
    reaches: 'Für',
    everybody: 'alle',
    nobody: 'niemanden: ihre Gruppen gibt es nicht mehr',
    inGroups: 'Personen in bestimmten Gruppen',
    groups: 'Gruppen',
    since: 'Seit',
    by: 'Gegeben von',
    take: 'Nehmen',
    takeTitle: '{name} die Rolle nehmen?',
    takeText: '{name} verliert die Rolle {role}; laufende Sitzungen enden.',
    taken: '{name} hat die Rolle {role} nicht mehr.',
    emergency: 'Notfallkonten',
    emergencyOne: 'Notfallkonto',
    emergencyHint: 'Für den Tag, an dem alles andere versagt. Wenige, beobachtet, nur von Eigentümern zu ändern.',
    noEmergency:
      'Es gibt keines. Machen Sie eines auf der Seite einer Person, damit sich ein Fehler in den Regeln von innen beheben lässt.',
    markEmergency: 'Zum Notfallkonto machen',
    unmarkEmergency: 'Zum gewöhnlichen Konto machen',
    markText: '{name} wird ein Notfallkonto: von da an dürfen es nur Eigentümer ändern.',
    unmarkText: '{name} wird wieder ein gewöhnliches Konto.',
    mayWhat: 'Wer was darf',
    mayWhatHint:
      'Diese Rollen lassen sich auf Gruppen begrenzen: {limitable}. Was mit „unbegrenzt“ bezeichnet ist, gilt nur ohne Grenze.',
    action: 'Handlung',
    yes: 'ja',
    unlimitedOnly: 'unbegrenzt',
    give: 'Rolle geben',
    giveTitle: '{name} eine Rolle geben',
    given: '{name} hat jetzt die Rolle {role}.',
    does: {
      owner: 'Darf alles und gibt und nimmt als Einzige Rollen.',
      'rulebook-editor': 'Entscheidet, wo Beweise verlangt werden: Anwendungen, Einstellungen, Probegänge.',
      custodian:
        'Kümmert sich um Personen und ihre Schlüsselbunde: anlegen, einrichten, widerrufen, Passwörter setzen, Dateien einlesen.',
      'help-desk':
        'Sieht Personen, setzt aus, setzt fort und entsperrt, was am Schlüsselbund hängt. Keine Passwörter, nichts Endgültiges.',
      auditor: 'Sieht alles, auch das Protokoll, und ändert nichts.',
    },
  },
};

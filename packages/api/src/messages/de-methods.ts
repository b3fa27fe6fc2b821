import type { enMethods } from './en-methods.js';

/** Was die Einstellungen der Verfahren sagen. */
export const deMethods: typeof enMethods = {
  purposes: {
    'sign-in': 'Anmelden',
    reset: 'Zurücksetzen eines Passworts',
    'caller-check': 'Prüfen von Anrufenden',
    enrol: 'Einrichten von etwas anderem',
  },
  whyNotOffered: {
    'not-built': 'diese Version kann es noch nicht einrichten',
    'nothing-said': 'keine Zeile der Verfahren, in der die Person steht, sagt etwas darüber',
    'not-invited-to': 'die Einladung nennt andere Verfahren',
    'in-person': 'wer noch nichts anderes hat, richtet es persönlich ein, an einem Schalter',
    'not-by-oneself': 'niemand richtet es selbst ein; der Helpdesk tut es',
    countersigned: 'wer noch nichts anderes hat, braucht eine gegengezeichnete Einladung',
    'not-enrolled-any-more': 'die Einstellungen der Verfahren lassen keines mehr einrichten',
    'checked-elsewhere': 'Anwendungen prüfen es selbst; hier wird nichts davon gehalten',
  },
};

import type { Language } from '@nimble-latch/api';

/** What the editor itself says, where that is not its own English. */
export const PHRASES: Readonly<Record<Language, Readonly<Record<string, string>>>> = {
  en: {},
  de: {
    Find: 'Suchen',
    Replace: 'Ersetzen',
    next: 'weiter',
    previous: 'zurück',
    all: 'alle',
    'match case': 'Groß und klein',
    'by word': 'ganze Wörter',
    regexp: 'Muster',
    replace: 'ersetzen',
    'replace all': 'alle ersetzen',
    close: 'schließen',
    Completions: 'Vorschläge',
    Diagnostics: 'Was nicht stimmt',
    'No diagnostics': 'Alles stimmt',
    'current match': 'diese Stelle',
    'on line': 'in Zeile',
    'replaced match on line $': 'in Zeile $ ersetzt',
    'replaced $ matches': '$ Stellen ersetzt',
    'Go to line': 'Zu Zeile',
    go: 'los',
  },
};

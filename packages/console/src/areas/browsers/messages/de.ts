import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  browsers: {
    title: 'In Browsern',
    hint: 'Wo {name} über die Anmeldeseiten angemeldet ist, und in welchen Browsern nicht wieder nach allem gefragt wird.',
    none: 'Nirgends angemeldet, und kein Browser ist gemerkt.',
    where: 'Browser',
    what: 'Was',
    since: 'Seit',
    until: 'Bis',
    session: 'angemeldet',
    remembered: 'gemerkt nach der Regel {rule}',
    forget: 'Vergessen',
    unknown: 'ein Browser',
    signOut: 'Überall abmelden',
    signOutText:
      'Beendet {sessions, plural, one {# Sitzung} other {# Sitzungen}} auf den Anmeldeseiten und vergisst ' +
      '{browsers, plural, one {# gemerkten Browser} other {# gemerkte Browser}} von {name}. Offene ' +
      'Anwendungen gehen weiter, bis sie dort enden.',
    signedOut: '{name} ist überall abgemeldet, und kein Browser ist gemerkt.',
  },
};

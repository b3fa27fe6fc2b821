import type { Catalogue } from './en.js';

/** Einladungen zum Einrichten. */
export const deInvitations: Pick<
  Catalogue,
  | 'invitationStates'
  | 'invitationChannels'
  | 'invitingOutcomes'
  | 'firstEnrolments'
  | 'invitationText'
  | 'invitationExample'
> = {
  invitationStates: {
    queued: 'noch nicht verschickt',
    sent: 'verschickt',
    bounced: 'unzustellbar',
    opened: 'geöffnet',
    begun: 'begonnen',
    done: 'erledigt',
    overdue: 'überfällig',
    withdrawn: 'zurückgezogen',
  },
  invitationChannels: { mail: 'per Mail', letter: 'auf Papier', file: 'durch eine Seriendruckdatei' },
  invitingOutcomes: {
    invited: 'eingeladen',
    deactivated: 'deaktiviert',
    emergency: 'Notfallkonto',
    'owners-only': 'mit einer Rolle: nur von Eignern einzuladen, per Mail',
    'already-invited': 'schon eingeladen',
    'already-held': 'schon eingerichtet',
    'not-offered': 'nach den Methodeneinstellungen nicht vorgesehen',
    'in-person': 'nur an einem Schalter einzurichten',
    'not-countersigned': 'noch ohne das Ja einer zweiten Person aus der Verwaltung',
    'no-mail': 'ohne Mailadresse',
  },
  firstEnrolments: {
    'in-person': 'das erste nur persönlich',
    countersigned: 'das erste durch eine gegengezeichnete Einladung',
  },
  invitationText: {
    subject: '{organisation}: richten Sie ein, womit Sie sich anmelden',
    body: `Guten Tag {name},

Sie sind eingeladen, zum Anmelden eines davon einzurichten: {methods}. Das dauert wenige Minuten; halten Sie Telefon oder Schlüssel bereit und Ihr Passwort im Kopf.

{link}

Lässt sich der Link nicht öffnen, so gehen Sie zu {page} und tippen diesen Code ein: {code}

Er ist nur für Sie, gilt einmal, und bis {until}. Wir fragen nie per Mail oder Telefon nach Ihrem Passwort oder einem Code. Haben Sie das nicht erwartet, so rufen Sie den Helpdesk an.

{organisation}`,
    reminder: 'Erinnerung: {subject}',
  },
  invitationExample: { name: 'Ines Marlow' },
};

import type { Catalogue } from './en.js';

/** Roles, what they may do, and what needs a second administrator's yes. */
export const deAccess: Pick<
  Catalogue,
  'consequences' | 'roles' | 'permissions' | 'signedActions' | 'signatureStates' | 'everyBatch' | 'endedAccess'
> = {
  consequences: {
    'role-given': '{name} bekommt die Rolle {role}, für alle.',
    'role-given-within': '{name} bekommt die Rolle {role}, für Personen in {groups}.',
    'role-taken': '{name} verliert die Rolle {role}.',
    'emergency-marked': '{name} wird ein Notfallkonto: nur Eigentümer dürfen es ändern.',
    'emergency-unmarked': '{name} wird wieder ein gewöhnliches Konto.',
    'administrator-deactivated': '{name} ({roles}) wird deaktiviert und kann sich nirgends anmelden.',
    'administrator-reactivated': '{name} ({roles}) kann sich wieder anmelden.',
    'administrator-deleted': '{name} ({roles}) wird mit Schlüsselbund und Kontaktdaten gelöscht.',
    'factor-begun': '{name} bekommt einen neuen Authentikator: {label}.',
    'factor-suspended': '{label} von {name} wird ausgesetzt; {left} andere bleiben aktiv.',
    'factor-resumed': '{label} von {name} darf wieder benutzt werden.',
    'factor-revoked': '{label} von {name} wird endgültig widerrufen; {left} andere bleiben aktiv.',
    'factor-restricted': 'Wo {label} ({name}) gilt, wird geändert in: {applications}.',
    'pin-given': '{name} bekommt eine PIN für {label}, zu ändern bei der ersten Verwendung.',
    'pin-removed': 'Die PIN von {label} ({name}) wird weggenommen.',
    'factor-resynchronised': '{label} ({name}) wird durch zwei Codes neu abgeglichen.',
    'secrets-exported':
      'Die Geheimnisse von {tokens, plural, one {# Token} other {# Tokens}} verlassen das Haus, verschlüsselt durch eine Passphrase: {batch}.',
    'carrier-lost': '{label} ({name}) wird verloren gemeldet; alles darauf wird ausgesetzt.',
    'factor-unlocked': 'Die gezählten falschen Beweise von {label} ({name}) werden vergessen.',
    'recovery-made': '{name} bekommt neue Wiederherstellungscodes; die alten enden.',
    'pass-delegated':
      '{holder} kann sich als {name} mit einem vorläufigen Ausweis anmelden, von {from} bis {until} (UTC).',
    'pass-given': '{name} bekommt einen vorläufigen Ausweis für {purpose}, von {from} bis {until} (UTC).',
    'pass-withdrawn': 'Ein vorläufiger Ausweis von {name} endet, und was damit angemeldet wurde.',
    'people-invited':
      '{people, plural, one {# Person wird} other {# Personen werden}} eingeladen, selbst etwas einzurichten: {methods}. Davon bewachen die Methodeneinstellungen {guarded}.',
    'people-invited-whenever':
      'Wer in {group} kommt, wird eingeladen, selbst etwas einzurichten, ohne dass noch einmal gefragt wird: {methods}.',
    'invitations-merged':
      'Die Codes von {people, plural, one {# Einladung verlassen} other {# Einladungen verlassen}} das Haus in einer verschlüsselten Seriendruckdatei. Einzurichten ist damit {methods}; sie enthält {columns}.',
    'invitations-merged-again':
      'Die Codes von {people, plural, one {# Einladung verlassen} other {# Einladungen verlassen}} das Haus in einer neuen verschlüsselten Seriendruckdatei; was die davor von ihnen enthält, endet. Einzurichten ist damit {methods}; sie enthält {columns}.',
    'password-set': '{name} bekommt ein neues Passwort; Sitzungen und Zugriffstoken enden.',
    'keys-orphaned':
      'Macht Schlüssel von nun an für {domain}: {keys, plural, one {# Schlüssel} other {# Schlüssel}} von ' +
      '{people, plural, one {# Person} other {# Personen}} für die Domäne davor antworten nicht mehr.',
    'methods-lock-out':
      'Ändert, welche Verfahren verwendet werden dürfen, und sperrt {people, plural, one {# Person} other {# Personen}} aus, die heute hineinkommen.',
    'rulebook-locks-out':
      'Fassung {version} des Regelwerks tritt in Kraft; sie sperrt {people, plural, one {# Person} other {# Personen}} aus, die heute hineinkommen.',
    'rulebook-loosens':
      'Fassung {version} des Regelwerks tritt in Kraft; nach ihr genügt {people, plural, one {# Person} other {# Personen}} weniger als heute.',
    'signing-changed':
      'Was eine Gegenzeichnung braucht, ändert sich: von nun an {actions}; allein nach {wait, plural, one {# Minute} other {# Minuten}}.',
  },
  roles: {
    owner: 'Eigentümer',
    'rulebook-editor': 'Regelwerk-Redaktion',
    custodian: 'Verwahrer',
    'help-desk': 'Helpdesk',
    auditor: 'Revision',
  },
  permissions: {
    'person.read': 'Personen sehen',
    'person.write': 'Personen anlegen und ändern',
    'person.delete': 'Personen löschen',
    'person.import': 'Personen aus Dateien einlesen',
    'person.bulk': 'viele Personen auf einmal ändern',
    'group.read': 'Gruppen sehen',
    'group.write': 'Gruppen und ihre Mitglieder ändern',
    'keyring.read': 'Schlüsselbunde sehen',
    'keyring.enrol': 'Authentikatoren für andere einrichten',
    'keyring.suspend': 'Authentikatoren aussetzen und fortsetzen',
    'keyring.revoke': 'Authentikatoren widerrufen',
    'stock.read': 'Hardwaretokens im Bestand sehen',
    'stock.export': 'Geheimnisse von Hardwaretokens ausgeben',
    'stock.write': 'Hardwaretokens aufnehmen und bewegen',
    'keyring.unlock': 'Authentikatoren entsperren',
    'invitation.send': 'Personen zum Einrichten einladen',
    'pass.give': 'vorläufige Ausweise vergeben und zurückziehen',
    'password.set': 'Passwörter setzen',
    'application.read': 'Anwendungen sehen',
    'application.write': 'Anwendungen und ihre Schlüssel ändern',
    'activity.read': 'Anmeldungen sehen',
    'trail.read': 'das Protokoll lesen',
    'walk-through.run': 'Probegänge machen',
    'rulebook.read': 'Netze und Regeln sehen',
    'rulebook.write': 'Netze und Regeln ändern',
    'role.read': 'sehen, wer was darf',
    'role.write': 'Rollen geben und nehmen',
    'setting.read': 'Einstellungen sehen',
    'setting.write': 'Einstellungen ändern',
    'access-token.own': 'Zugangsschlüssel für sich ausstellen',
    'access-token.all': 'alle Zugangsschlüssel sehen und beenden',
    'system.read': 'Knoten, Aufgaben und Kennzahlen sehen',
  },
  signedActions: {
    'role-change': 'Änderungen an Rollen und Verwaltern',
    'administrator-factor': 'Authentikatoren von Verwaltern',
    'secret-export': 'Geheimnisse von Tokens ausgeben',
    'lock-out': 'Regelwerke, die Personen aussperren',
    loosening: 'Regelwerke, die von Personen weniger verlangen',
    'first-enrolment': 'Einladungen von Personen, deren erstes Einrichten bewacht wird',
    'merge-file': 'Einladungen in einer Seriendruckdatei',
  },
  everyBatch: 'alle Chargen',
  endedAccess:
    'Damit beendet: {sessions, plural, one {# Konsolensitzung} other {# Konsolensitzungen}}, {accessTokens, plural, one {# Zugriffstoken} other {# Zugriffstoken}}.',
  signatureStates: {
    open: 'wartet',
    given: 'gegengezeichnet',
    refused: 'abgelehnt',
    withdrawn: 'zurückgezogen',
    expired: 'abgelaufen',
    overtaken: 'überholt: neu erbitten',
    done: 'getan',
  },
};

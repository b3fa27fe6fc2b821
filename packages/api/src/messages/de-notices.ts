import type { Catalogue } from './en.js';

/** Nachrichten über Änderungen, und was Personen bestreiten. */
export const deNotices: Pick<Catalogue, 'noticeKinds' | 'disputeEffects' | 'disputeStates' | 'selfActions'> = {
  noticeKinds: {
    'authenticator.proved': 'ein neues Nachweismittel kam hinzu: {label}',
    'authenticator.suspended': 'ein Nachweismittel wurde ausgesetzt: {label}',
    'authenticator.revoked': 'ein Nachweismittel wurde weggenommen: {label}',
    'authenticator.expired': 'ein Nachweismittel ist abgelaufen: {label}',
    'authenticator.renamed': 'etwas wurde umbenannt: {label}',
    'authenticator.preferred': 'was zuerst verlangt wird, wurde geändert: {label}',
    'authenticator.resynchronised': 'ein Codegerät wurde wieder in Schritt gebracht: {label}',
    'password.set': 'das Passwort wurde geändert',
    'pin.changed': 'eine PIN wurde geändert oder weggenommen: {label}',
    'recovery.made': 'neue Wiederherstellungscodes wurden gemacht',
    'recovery.used': 'ein Wiederherstellungscode wurde verwendet',
    'recovery.few': 'ein Wiederherstellungscode wurde verwendet',
    'invitation.printed': 'eine Einladung wurde gedruckt',
    'invitation.merged': 'eine Einladung wurde in eine Datei für Briefe aufgenommen',
    'pass.given': 'ein vorläufiger Ausweis wurde gemacht',
    'pass.delegated': 'ein vorläufiger Ausweis wurde gemacht, mit dem {label} sich als Sie anmelden kann',
    'pass.withdrawn': 'ein vorläufiger Ausweis wurde zurückgezogen',
    'pass.used': 'jemand meldete sich mit einem vorläufigen Ausweis an: {label}',
    'contact.changed': 'die Mailadresse wurde geändert',
    'signed-out': 'überall wurde abgemeldet',
  },
  disputeEffects: { suspended: 'ausgesetzt', withdrawn: 'zurückgezogen', told: 'nichts auszusetzen' },
  disputeStates: { open: 'offen', settled: 'erledigt' },
  selfActions: {
    enrol: 'einrichten',
    name: 'benennen',
    prefer: 'zuerst verlangen',
    test: 'probieren',
    resync: 'neu abgleichen',
    pin: 'die PIN ändern',
    remove: 'entfernen',
  },
};

import type { Catalogue } from './en.js';

/** What mails say. */
export const deMail: Catalogue['mail'] = {
  subject: 'Ihre Mittel zum Anmelden haben sich geändert',
  greeting: 'Guten Tag {name},',
  'authenticator.proved': 'an Ihren Schlüsselbund kam ein neues Nachweismittel: {label}.',
  'authenticator.suspended': 'ein Nachweismittel an Ihrem Schlüsselbund wurde ausgesetzt: {label}.',
  'authenticator.revoked': 'ein Nachweismittel wurde von Ihrem Schlüsselbund genommen: {label}.',
  'authenticator.expired': 'ein Nachweismittel an Ihrem Schlüsselbund ist abgelaufen: {label}.',
  'authenticator.renamed': 'etwas an Ihrem Schlüsselbund heißt jetzt anders: {label}.',
  'authenticator.preferred': 'was zuerst von Ihnen verlangt wird, wurde geändert: {label}.',
  'authenticator.resynchronised': 'ein Gerät von Ihnen, das Codes zeigt, wurde wieder in Schritt gebracht: {label}.',
  'pin.changed': 'Die PIN von {label} wurde geändert oder weggenommen.',
  'recovery.made': 'für Sie wurden neue Wiederherstellungscodes gemacht; die alten gelten nicht mehr.',
  'recovery.used': 'einer Ihrer Wiederherstellungscodes wurde verwendet. Übrig: {label}.',
  'recovery.few':
    'einer Ihrer Wiederherstellungscodes wurde verwendet. Übrig: {label}. Machen Sie neue, solange Sie sich anmelden können; es gibt sie auf der Seite zum Einrichten.',
  'invitation.printed':
    'für Sie wurde eine Einladung gedruckt, einzurichten, womit Sie sich anmelden. Sie kommt auf Papier.',
  'invitation.merged':
    'für Sie wurde eine Einladung, einzurichten, womit Sie sich anmelden, in eine Datei aufgenommen, aus der Briefe oder Mails werden. Sie kommt auf diesem Weg.',
  'pass.given':
    'für Sie wurde ein vorläufiger Ausweis gemacht. Wer ihn hat, kann sich in seiner Zeit als Sie anmelden.',
  'pass.delegated':
    'ein vorläufiger Ausweis wurde gemacht, mit dem {label} sich in seiner Zeit als Sie anmelden kann, um etwas für Sie einzurichten.',
  'pass.withdrawn': 'ein vorläufiger Ausweis von Ihnen wurde zurückgezogen.',
  'pass.used': '{label} meldete sich als Sie an, mit einem vorläufigen Ausweis, der dafür gemacht wurde.',
  'contact.changed':
    'Ihre Mailadresse wurde geändert. Nachrichten wie diese gehen 30 Tage lang an die alte und die neue.',
  'signed-out': 'Sie wurden überall abgemeldet, und alle gemerkten Browser sind vergessen.',
  'password.set': 'Ihr Passwort wurde geändert.',
  'signature.subject': 'Eine Gegenzeichnung wird erbeten',
  'signature.asked': '{asker} bittet um das Ja einer zweiten Person aus der Verwaltung:',
  'signature.where': 'Geben oder ablehnen: {link}',
  'signature.closing': 'Wenn Sie davon nichts wissen, sprechen Sie mit {asker}, bevor Sie entscheiden.',
  'emergency.subject': 'Ein Notfallkonto wurde benutzt',
  'emergency.used': 'das Notfallkonto {name} wurde bei {application} eingelassen, von {from} aus.',
  'emergency.where': 'Die ganze Geschichte: {link}',
  'emergency.closing':
    'Weiß niemand von Ihnen, warum, so ist es in falschen Händen: setzen Sie seine Nachweismittel jetzt aus. Wissen Sie es, so sagen Sie es bei der Anmeldung, damit sich niemand sonst wundert.',
  'passes.subject': 'Jemand hat so viele Ausweise vergeben, wie er darf',
  'passes.reached':
    '{giver} hat innerhalb eines Tages {given, plural, one {# vorläufigen Ausweis} other {# vorläufige Ausweise}} vergeben, den letzten an {name}. Weitere werden abgelehnt.',
  'passes.where': 'Die Ausweise: {link}',
  'passes.closing': 'Ist das mehr, als Sie erwarten, so fragen Sie {giver} und ziehen Sie zurück, was niemand braucht.',
  'not-me.subject': 'Jemand sagt, dass eine Anmeldung nicht von ihm war',
  'not-me.said':
    '{name} wurde auf einem Telefon gebeten, einer Anmeldung von {from} zuzustimmen, und sagt, dass sie nicht von ihr oder ihm war.',
  'not-me.done':
    'Sie wurde abgewiesen, und alles, womit die Person angemeldet war, ist beendet. Wer es versuchte, weiß, was davor nachgewiesen wurde.',
  'not-me.where': 'Sehen Sie es hier an: {link}',
  'dispute.subject': 'Jemand sagt, dass eine Änderung nicht von ihm kam',
  'dispute.said': '{name} sagt, dass dies nicht von ihr oder ihm kam: {what}.',
  'dispute.suspended': 'Es ist ausgesetzt, und alles, womit die Person angemeldet war, ist beendet.',
  'dispute.withdrawn': 'Es ist zurückgezogen.',
  'dispute.told': 'Es gab nichts auszusetzen.',
  'dispute.where': 'Kümmern Sie sich hier darum: {link}',
  'dispute.closing': 'Sprechen Sie mit {name}, bevor etwas wieder gilt: wer es war, kennt vielleicht das Passwort.',
  when: 'Wann: {when}',
  notMe:
    'Wenn Sie das nicht waren, sagen Sie es hier: was geändert wurde, gilt sofort nicht mehr, und die Verwaltung erfährt davon.',
  closing: 'Wenn Sie das nicht erwartet haben, rufen Sie jetzt Ihren Helpdesk an.',
  signature: '{organisation}',
};

import type { Catalogue } from './en.js';

/** What mails say. */
export const deMail: Catalogue['mail'] = {
  subject: 'Ihre Mittel zum Anmelden haben sich geändert',
  greeting: 'Guten Tag {name},',
  'authenticator.proved': 'an Ihren Schlüsselbund kam ein neues Nachweismittel: {label}.',
  'authenticator.suspended': 'ein Nachweismittel an Ihrem Schlüsselbund wurde ausgesetzt: {label}.',
  'authenticator.revoked': 'ein Nachweismittel wurde von Ihrem Schlüsselbund genommen: {label}.',
  'authenticator.expired': 'ein Nachweismittel an Ihrem Schlüsselbund ist abgelaufen: {label}.',
  'pin.changed': 'Die PIN von {label} wurde geändert oder weggenommen.',
  'recovery.made': 'für Sie wurden neue Wiederherstellungscodes gemacht; die alten gelten nicht mehr.',
  'recovery.used': 'einer Ihrer Wiederherstellungscodes wurde verwendet. Übrig: {label}.',
  'recovery.few':
    'einer Ihrer Wiederherstellungscodes wurde verwendet. Übrig: {label}. Machen Sie neue, solange Sie sich anmelden können; es gibt sie auf der Seite zum Einrichten.',
  'invitation.printed':
    'für Sie wurde eine Einladung gedruckt, einzurichten, womit Sie sich anmelden. Sie kommt auf Papier.',
  'pass.given':
    'für Sie wurde ein vorläufiger Ausweis gemacht. Wer ihn hat, kann sich in seiner Zeit als Sie anmelden.',
  'pass.withdrawn': 'ein vorläufiger Ausweis von Ihnen wurde zurückgezogen.',
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
  when: 'Wann: {when}',
  closing: 'Wenn Sie das nicht erwartet haben, rufen Sie jetzt Ihren Helpdesk an.',
  signature: '{organisation}',
};

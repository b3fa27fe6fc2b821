import type { Decision, Outcome, Trouble } from './protocol.js';
import type { Standing } from './waking.js';

const en = {
  title: 'Approve sign-ins',
  none:
    'No account is set up on this phone. Where you look after how you sign in, choose to set up a phone that approves, ' +
    'and open its link here. If one was set up, your browser has cleared what it kept: set it up anew.',
  setUpTitle: 'Set up this phone',
  setUpHint:
    'From then on this page asks you here whenever somebody signs in as you. Only go on if you have just asked for it yourself.',
  setUp: 'Set it up',
  setting: 'Setting up …',
  testTitle: 'One last thing',
  test: 'Press Approve, to see that it works. Later you are asked the same way when you sign in.',
  tested: 'This phone is set up. Go on where you came from.',
  signIn: 'Is it you who signs in?',
  at: 'At {application}',
  from: 'from {place}',
  by: 'by {browser}',
  number: 'The number that is shown where you sign in',
  approve: 'Approve',
  deny: 'Deny',
  notMe: 'It was not me',
  notMeHint: 'Press this if you are not signing in: it ends there and then, and your administrators hear of it.',
  left: '{seconds} s left',
  taken: 'Done. Go on where you sign in.',
  denied: 'Denied. Nobody gets in by this.',
  reported: 'Denied, and your administrators hear of it. Change your password if somebody may know it.',
  over: 'It is over: it was answered elsewhere, or it took too long.',
  notTaken: {
    'wrong-number': 'That is not the number that is shown. Look again; there is one more try.',
    locked:
      'Your phone has not seen that it is you. Approve again, and unlock it when it asks. If it does not ask, set this phone up anew.',
    'same-browser':
      'You sign in in this very browser: an approval has to come from another device. Choose another way where you sign in.',
  } satisfies Record<Exclude<Outcome, 'taken' | 'over'>, string>,
  triedTitle: 'A test',
  tried: 'Your administrators try whether this phone answers. Nobody gets in by it: press Approve.',
  answeredTest: 'Thank you. This phone answers.',
  lockOffered:
    'This phone can ask for your fingerprint, your face or its screen lock each time you approve. None of that leaves the phone.',
  lockMissing:
    'Your organisation wants phones that ask for a fingerprint, a face or the screen lock, and this browser cannot. Switch the screen lock on in the settings of the phone, then open this page again.',
  approveLocked: 'Approve with screen lock',
  approveUnlocked: 'Approve without it',
  showCode: 'Show a code',
  code: 'Where a code is asked for, type',
  lately: 'Answered lately',
  latelySaid: {
    approve: 'Approved at {application}',
    deny: 'Denied at {application}',
    'not-me': 'Said that it was not you at {application}',
  } satisfies Record<Decision, string>,
  gone: 'an application since deleted',
  nothing: 'Nothing waits for you.',
  account: '{person}, {organisation}',
  suspended: 'This phone is suspended: ask your help desk.',
  remove: 'Take it off this phone',
  ring: 'Ring when I am asked',
  ringNoMore: 'Do not ring',
  ringing: {
    off: 'This page asks you while it is open. It can also ring while it is closed; the maker of your browser then sees that it rings, and not who asks.',
    on: 'This phone rings when somebody signs in as you, also while this page is closed.',
    lost: 'This phone does not ring any more: your browser or its push service has let go of it.',
    forbidden:
      'Your browser lets this page show nothing while it is closed. Allow notifications for it in the browser’s settings, then press again.',
    unsupported:
      'This browser cannot ring while the page is closed: keep it open when you sign in. On an iPhone, put the page on the home screen first.',
  } satisfies Record<Standing, string>,
  troubles: {
    offline: 'There is no connection. This page goes on by itself once there is.',
    unknown:
      'This phone is not known here any more, or the link was used before. Set it up anew, or ask your help desk.',
    clock: 'The clock of this phone is off. Set date and time to automatic.',
    known: 'This phone is set up here already.',
    busy: 'Too many tries from here. Wait some minutes.',
    broken: 'That did not work. Try again.',
  } satisfies Record<Trouble, string>,
};

const de: typeof en = {
  title: 'Anmeldungen zustimmen',
  none:
    'Auf diesem Telefon ist kein Konto eingerichtet. Wählen Sie dort, wo Sie sich darum kümmern, womit Sie sich anmelden, ' +
    'ein Telefon einzurichten, das zustimmt, und öffnen Sie hier den Link. War schon eines eingerichtet, dann hat Ihr ' +
    'Browser gelöscht, was er behielt: richten Sie es neu ein.',
  setUpTitle: 'Dieses Telefon einrichten',
  setUpHint:
    'Von da an fragt diese Seite Sie hier, wenn sich jemand als Sie anmeldet. Gehen Sie nur weiter, wenn Sie es gerade selbst verlangt haben.',
  setUp: 'Einrichten',
  setting: 'Wird eingerichtet …',
  testTitle: 'Noch eins',
  test: 'Drücken Sie Zustimmen, um zu sehen, dass es geht. So werden Sie später gefragt, wenn Sie sich anmelden.',
  tested: 'Dieses Telefon ist eingerichtet. Gehen Sie dort weiter, woher Sie kamen.',
  signIn: 'Melden Sie sich gerade an?',
  at: 'Bei {application}',
  from: 'von {place}',
  by: 'mit {browser}',
  number: 'Die Zahl, die dort steht, wo Sie sich anmelden',
  approve: 'Zustimmen',
  deny: 'Ablehnen',
  notMe: 'Das war nicht ich',
  notMeHint: 'Drücken Sie das, wenn Sie sich nicht anmelden: es endet sofort, und die Administration erfährt davon.',
  left: 'noch {seconds} s',
  taken: 'Erledigt. Gehen Sie dort weiter, wo Sie sich anmelden.',
  denied: 'Abgelehnt. Damit kommt niemand hinein.',
  reported: 'Abgelehnt, und die Administration erfährt davon. Ändern Sie Ihr Passwort, wenn es jemand wissen könnte.',
  over: 'Es ist vorbei: es wurde anderswo geantwortet, oder es dauerte zu lange.',
  notTaken: {
    'wrong-number': 'Das ist nicht die Zahl, die dort steht. Sehen Sie noch einmal nach; ein Versuch bleibt.',
    locked:
      'Ihr Telefon hat nicht gesehen, dass Sie es sind. Stimmen Sie noch einmal zu und entsperren Sie es, wenn es fragt. Fragt es nicht, richten Sie dieses Telefon neu ein.',
    'same-browser':
      'Sie melden sich in eben diesem Browser an: die Zustimmung muss von einem anderen Gerät kommen. Wählen Sie dort, wo Sie sich anmelden, einen anderen Weg.',
  },
  triedTitle: 'Eine Probe',
  tried:
    'Ihre Administration probiert, ob dieses Telefon antwortet. Niemand kommt damit hinein: drücken Sie Zustimmen.',
  answeredTest: 'Danke. Dieses Telefon antwortet.',
  lockOffered:
    'Dieses Telefon kann jedes Mal, wenn Sie zustimmen, nach Fingerabdruck, Gesicht oder Displaysperre fragen. Nichts davon verlässt das Telefon.',
  lockMissing:
    'Ihre Organisation will Telefone, die nach Fingerabdruck, Gesicht oder Displaysperre fragen, und dieser Browser kann das ' +
    'nicht. Schalten Sie die Displaysperre in den Einstellungen des Telefons ein und öffnen Sie diese Seite noch einmal.',
  approveLocked: 'Mit Displaysperre zustimmen',
  approveUnlocked: 'Ohne zustimmen',
  showCode: 'Einen Code zeigen',
  code: 'Wo nach einem Code gefragt wird, tippen Sie',
  lately: 'Zuletzt beantwortet',
  latelySaid: {
    approve: 'Zugestimmt bei {application}',
    deny: 'Abgelehnt bei {application}',
    'not-me': 'Als nicht Ihres gemeldet bei {application}',
  },
  gone: 'einer Anwendung, die gelöscht wurde',
  nothing: 'Es wartet nichts.',
  account: '{person}, {organisation}',
  suspended: 'Dieses Telefon ist ausgesetzt: fragen Sie Ihren Helpdesk.',
  remove: 'Von diesem Telefon nehmen',
  ring: 'Klingeln bei Anfragen',
  ringNoMore: 'Nicht klingeln',
  ringing: {
    off: 'Diese Seite fragt Sie, solange sie offen ist. Sie kann auch klingeln, wenn sie zu ist; dass es geschieht, sieht der Hersteller Ihres Browsers, aber nicht, wer fragt.',
    on: 'Dieses Telefon klingelt, wenn sich jemand als Sie anmeldet, auch wenn diese Seite zu ist.',
    lost: 'Dieses Telefon klingelt nicht mehr: Ihr Browser oder dessen Push-Dienst hat davon abgelassen.',
    forbidden:
      'Ihr Browser lässt diese Seite nichts zeigen, wenn sie zu ist. Erlauben Sie ihr Benachrichtigungen in den Einstellungen des Browsers, dann drücken Sie noch einmal.',
    unsupported:
      'Dieser Browser kann nicht klingeln, wenn die Seite zu ist: lassen Sie sie offen, wenn Sie sich anmelden. Auf einem iPhone legen Sie die Seite zuerst auf den Home-Bildschirm.',
  },
  troubles: {
    offline: 'Es besteht keine Verbindung. Sobald es eine gibt, geht es hier von selbst weiter.',
    unknown:
      'Dieses Telefon ist hier nicht mehr bekannt, oder der Link wurde schon verwendet. Richten Sie es neu ein, oder fragen Sie Ihren Helpdesk.',
    clock: 'Die Uhr dieses Telefons geht falsch. Stellen Sie Datum und Uhrzeit auf automatisch.',
    known: 'Dieses Telefon ist hier schon eingerichtet.',
    busy: 'Zu viele Versuche von hier. Warten Sie einige Minuten.',
    broken: 'Das hat nicht geklappt. Versuchen Sie es noch einmal.',
  },
};

export const language = navigator.language.startsWith('de') ? 'de' : 'en';
export const words = language === 'de' ? de : en;

/** A sentence with its facts. */
export const say = (sentence: string, facts: object): string =>
  sentence.replace(/\{(\w+)\}/g, (whole, name: string) => String((facts as Record<string, unknown>)[name] ?? whole));

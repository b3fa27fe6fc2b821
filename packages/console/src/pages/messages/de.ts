import type { Words } from './index.js';

/** Was die Anmeldeseiten sagen, auf Deutsch. */
export const de: Words = {
  product: 'Nimble Latch',
  wait: 'Einen Augenblick …',
  signInTo: 'Bei {application} anmelden',
  loginName: 'Anmeldename',
  password: 'Passwort',
  newPassword: 'Neues Passwort',
  newPasswordHint:
    'Ihres hat jemand anderes gesetzt. Wählen Sie eines, das nur Sie kennen; ein paar Wörter zusammen sind gut.',
  code: 'Code',
  codeHint: 'Die Ziffern, die Ihre App oder Ihr Token jetzt zeigt.',
  next: 'Weiter',
  finish: 'Anmelden',
  as: 'Anmeldung als {name}',
  other: 'Jemand anderes?',
  known: 'Sie sind als {name} angemeldet. {application} verlangt noch etwas.',
  remember: 'In diesem Browser {days/Tag/Tage} lang nicht wieder danach fragen',
  rememberHint: 'Nur in einem Browser, der Ihnen gehört.',
  instead: 'Anderer Weg: {prompt}',
  wrong: 'Das war nicht richtig. Versuchen Sie es noch einmal.',
  paused: 'Zu viele Versuche. Warten Sie bis {when} und versuchen Sie es dann noch einmal.',
  goingBack: 'Sie sind angemeldet. Zurück zu {application} …',
  goOn: 'Weiter zu {application}',
  graceTitle: 'Sie sind drin, fürs Erste',
  grace:
    '{application} verlangt etwas, das für Sie noch nicht eingerichtet ist. Bis {until} kommen Sie ohne das hinein. Ihr Helpdesk oder Ihre Verwaltung richtet es mit Ihnen ein: kümmern Sie sich vorher darum.',
  refused: 'Sie wurden nicht eingelassen',
  enrolTitle: 'Vorher fehlt noch etwas',
  enrol:
    'Was {application} verlangt, ist für Sie noch nicht eingerichtet. Ihr Helpdesk oder Ihre Verwaltung richtet es mit Ihnen ein; kommen Sie dann wieder hierher.',
  ended: 'Beendet: {reason}.',
  again: 'Noch einmal beginnen',
  back: 'Zurück zu {application}',
  problems: {
    client: 'Die Anwendung, die Sie hierher geschickt hat, ist diesem Dienst nicht bekannt.',
    'redirect-uri':
      'Die Anwendung, die Sie hierher geschickt hat, möchte Sie an einer Adresse zurück, die für sie nicht eingetragen ist; darum wird niemand dorthin geschickt.',
    request: 'Diese Anfrage zur Anmeldung ist abgelaufen, schon verwendet oder unterwegs verändert worden.',
    none: 'Diese Seite ist dafür da, sich bei einer Anwendung anzumelden. Beginnen Sie dort: sie schickt Sie hierher.',
  },
  problemTitle: 'Hier geht es nicht weiter',
  problemHint:
    'Gehen Sie zur Anwendung zurück und beginnen Sie noch einmal. Geschieht es wieder, so sagen Sie dem, der sich um sie kümmert, was hier steht.',
  unreachable: 'Der Dienst hat nicht geantwortet. Prüfen Sie die Verbindung und versuchen Sie es noch einmal.',
  signedIn: 'Angemeldet',
  signedInAs:
    'Sie sind in diesem Browser seit {since} als {name} angemeldet. Anwendungen, die nicht mehr verlangen, als Sie erbracht haben, lassen Sie bis {until} ein.',
  nobody: 'In diesem Browser ist niemand angemeldet.',
  nobodyHint: 'Beginnen Sie bei einer Anwendung: sie schickt Sie zur Anmeldung hierher.',
  signOut: 'Abmelden',
  stay: 'Angemeldet bleiben',
  signOutAsk: 'In diesem Browser abmelden?',
  signOutHint: '{name} ist angemeldet. Offene Anwendungen gehen weiter, bis Sie sich auch dort abmelden.',
  signedOut: 'Sie sind in diesem Browser abgemeldet.',
  browsers: 'Gemerkte Browser',
  browsersHint:
    'In diesen werden Sie nicht nach allem noch einmal gefragt. Vergessen Sie einen, der nicht mehr Ihrer ist.',
  noBrowsers: 'Keine.',
  browser: 'Ein Browser',
  current: 'dieser',
  until: '{rule}, bis {until}',
  forget: 'Vergessen',
  forgotten: 'Vergessen. Dort werden Sie wieder gefragt.',
  language: 'Sprache',
};

import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  keyModels: {
    title: 'Modelle von Schlüsseln',
    hint: 'Was gehalten wird und was darüber bekannt ist. Welche Modelle eingerichtet werden dürfen, sagen die Verfahren.',
    model: 'Modell',
    unnamed: 'in den Metadaten nicht genannt',
    aaguid: 'AAGUID',
    u2f: 'U2F',
    people: 'Gehalten',
    heldBy:
      '{keys, plural, one {# Schlüssel} other {# Schlüssel}}, {people, plural, one {# Person} other {# Personen}}',
    standing: 'Gemeldet',
    compromised: 'kein Verlass',
    someCompromised:
      'Es werden Schlüssel eines Modells gehalten, auf das kein Verlass ist. Sehen Sie nach, von wem, ' +
      'besorgen Sie andere und widerrufen Sie dann diese.',
    noneHeld: 'Niemand hält bisher einen Schlüssel, der sein Modell nennt.',
    noneKnown: 'Die Metadaten nennen keines.',
    showAll: 'Alle zeigen, die die Metadaten nennen',
    heldOnly: 'Nur gehaltene zeigen',
    metadata: 'Metadaten',
    metadataHint:
      'Eine signierte Liste von Modellen: ihre Namen, die Zertifikate der Hersteller, und Meldungen, was ' +
      'gefunden wurde. Sie wird aus einer Datei gelesen oder täglich geholt.',
    readFile: 'Eine Datei lesen',
    fetchNow: 'Jetzt holen',
    editSource: 'Sagen, wem zu glauben ist',
    readNow: 'Nummer {number} ist gelesen; sie nennt {entries, plural, one {# Modell} other {# Modelle}}.',
    overdue: 'Bis {day} hätte eine neue Liste da sein sollen. Was über Modelle bekannt ist, kann alt sein.',
    lastProblem: 'Die letzte Liste wurde nicht genommen: {why}.',
    unreachable: 'von der Adresse kam nichts',
    root: 'Wurzelzertifikat',
    noRoot: 'keines: noch wird keiner Liste geglaubt',
    rootPem: 'Zertifikat (PEM)',
    rootHint: 'Vergleichen Sie seinen Fingerabdruck mit den Angaben des Herausgebers.',
    rootKept: 'Leer: wie es ist.',
    until: 'gut bis',
    address: 'Geholt von',
    addressHint: 'Leer: Listen werden nur aus Dateien gelesen',
    byHand: 'nirgends; Dateien werden von Hand gelesen',
    number: 'Zuletzt gelesen',
    numberFacts: 'Nummer {number}, {entries, plural, one {# Modell} other {# Modelle}}, die nächste bis {day};',
    roots: 'Von Hand vertraute Hersteller',
    rootsHint: 'Für Schlüssel, deren Hersteller die Metadaten nicht kennen: wohin ihr Nachweis führen muss.',
    addRoot: 'Einem Hersteller trauen',
    rootName: 'Hersteller',
    removeRoot: 'Nicht mehr trauen',
    holders: '{people, plural, one {# Person hält} other {# Personen halten}} einen {model}',
    needsHand: 'gemeldet, dass kein Verlass darauf ist; besorgen Sie ihnen einen anderen und widerrufen Sie ihn dann',
    needsHandSince:
      'am {since} gemeldet, dass kein Verlass darauf ist; besorgen Sie ihnen einen anderen und widerrufen Sie ihn dann',
    fewKeys:
      '{people, plural, one {# Person hält} other {# Personen halten}} weniger Schlüssel, als sie sollten: geht er verloren, stehen sie draußen.',
    onlyFew: 'Nur wer weniger Schlüssel hält, als er sollte.',
    everyNumber: 'Alle zeigen',
    onlyOf: 'Nur wer einen Schlüssel des Modells {model} hält.',
    everyModel: 'Alle zeigen',
    trusted: 'sein Hersteller ist bekannt und vertraut',
    untrusted: 'zeigt einen Hersteller, dem hier nicht getraut wird',
  },
};

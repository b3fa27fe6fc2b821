import type { enKeyFields, enKeys } from './en-keys.js';

/** Was an Angaben zu Schlüsseln nicht stimmt. */
export const deKeyFields: typeof enKeyFields = {
  'party-address': 'Browser machen Schlüssel nur für Namen, nie für eine Adresse',
  'party-not-a-domain': 'erwartet wird eine Domäne in Kleinbuchstaben wie wexmoor.example',
  'party-too-wide':
    'darunter haben auch andere Namen: deren Seiten könnten nach Ihren Schlüsseln fragen. Nehmen Sie die Domäne, die Ihre ist',
  'party-other-host': 'der Dienst steht unter {host}; das ist weder sie noch darunter',
  'origin-form':
    'erwartet wird eine Herkunft wie https://berths.wexmoor.example, mit dem Port, wo er nicht der übliche ist',
  'origin-address': 'Browser lassen Schlüssel auf Seiten mit einem Namen antworten, nie mit einer Adresse',
  'origin-plain': 'muss mit https beginnen, außer auf localhost',
  'origin-own': 'ist die Herkunft unserer eigenen Seiten; die kann keine Anwendung haben',
  'origin-taken': 'gehört einer anderen Anwendung: die eine könnte Antworten sammeln, die für die andere gedacht sind',
  'no-origins':
    'webauthn: sagen Sie zuerst, von welchen Herkünften Schlüssel für diese Anwendung antworten dürfen (nlatch application origins)',
  'name-or-key': 'erwartet wird entweder ein Anmeldename oder die Antwort eines Schlüssels',
  'metadata-address': 'erwartet wird eine Adresse, die mit https oder http beginnt',
  certificate: 'erwartet wird ein Zertifikat in PEM',
  'only-models-attested': 'Modelle lassen sich nur sicher unterscheiden, wo ein Herkunftsnachweis verlangt wird',
  algorithms: 'erwartet werden Namen von Algorithmen wie ES256, EdDSA oder RS256',
  'app-id': 'erwartet wird die Adresse der früheren Application Id, die mit https beginnt',
};

/** Was zu Passkeys und Sicherheitsschlüsseln gesagt wird. */
export const deKeys: typeof enKeys = {
  keyRefusals: {
    'model-compromised': 'es ist gemeldet, dass auf sein Modell kein Verlass ist',
    'not-attested': 'er zeigt nicht, wer ihn gemacht hat',
    'not-trusted': 'was er von seinem Hersteller zeigt, führt zu niemandem, dem hier vertraut wird',
    'model-denied': 'sein Modell ist hier ausgenommen',
    'model-not-allowed': 'sein Modell ist keines von denen, die hier genommen werden',
    synced: 'er wird auf andere Geräte übertragen, und gewollt ist einer, der auf seinem bleibt',
    'not-discoverable': 'er bewahrt nicht in sich, wem er gehört',
    attachment: 'er ist von der anderen Art als gewollt: Teil des Geräts oder getrennt davon',
  },
  metadataProblems: {
    'too-long': 'sie sind länger als alle veröffentlichten',
    'not-a-blob': 'sie sind keine signierte Liste von Modellen',
    signature: 'ihre Signatur stimmt nicht',
    'no-root': 'ihre Zertifikate führen nicht zu der Wurzel, der geglaubt wird',
    older: 'sie sind älter als die vorigen',
  },
  keyTroubles: {
    cancelled:
      'Von keinem Schlüssel kam etwas: abgebrochen, zu lange gewartet, oder keiner hier passt. Versuchen Sie es noch einmal, mit dem richtigen Schlüssel zur Hand.',
    known: 'Dieser Schlüssel ist für Sie schon eingetragen.',
    unsupported:
      'Dieser Browser kann hier keine Passkeys oder Sicherheitsschlüssel benutzen. Nehmen Sie einen anderen Browser oder einen anderen Weg.',
    place:
      'Diese Seite steht unter einer anderen Adresse als der, für die die Schlüssel gemacht sind. Öffnen Sie sie unter ihrer üblichen Adresse.',
    unfit: 'Dieser Schlüssel kann nicht, was verlangt wird. Nehmen Sie einen anderen.',
  },
};

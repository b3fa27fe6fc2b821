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
  'app-id': 'erwartet wird die Adresse der früheren Application Id, die mit https beginnt',
};

/** Was zu Passkeys und Sicherheitsschlüsseln gesagt wird. */
export const deKeys: typeof enKeys = {
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

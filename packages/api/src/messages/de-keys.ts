import type { enKeys } from './en-keys.js';

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

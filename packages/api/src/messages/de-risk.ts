import type { enRisk } from './en-risk.js';

/** Was an einer Anmeldung auffallen kann, und was dazu gesagt wird. */
export const deRisk: typeof enRisk = {
  signals: {
    'new-network': 'von einer Adresse, von der die Person noch nie eingelassen wurde',
    'new-browser': 'aus einem Browser, aus dem die Person noch nie eingelassen wurde',
    'failures-before':
      '{wrong, plural, one {# falscher Nachweis} other {# falsche Nachweise}} in der Viertelstunde davor',
    'too-far':
      'in {to}, {minutes, plural, one {# Minute} other {# Minuten}} nachdem die Person von {from} eingelassen wurde',
    'odd-hour': 'gegen {hour}:00 Uhr bei der Person, wo sie sich kaum je anmeldet',
    'anonymising-network': 'aus einem Netz, das Personen verbirgt: {network}',
    application: 'die Anwendung selbst sagt {risk}',
  },
  verdicts: { confirmed: 'sie war es nicht', dismissed: 'sie war es' },
};

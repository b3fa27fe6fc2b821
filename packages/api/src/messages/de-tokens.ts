/** Hardwaretokens. */
export const deTokens = {
  tokenStates: {
    'in-stock': 'im Bestand',
    assigned: 'zugeteilt',
    sent: 'verschickt',
    'in-use': 'in Gebrauch',
    returned: 'zurückgegeben',
    lost: 'verloren',
    broken: 'defekt',
    retired: 'ausgemustert',
  },
  tokenEvents: {
    imported: 'kam mit einer Datei',
    entered: 'von Hand eingetragen',
    corrected: 'berichtigt',
    assigned: 'zugeteilt',
    sent: 'verschickt',
    arrived: 'angekommen',
    proved: 'nachgewiesen',
    resynchronised: 'neu abgeglichen',
    returned: 'zurückgekommen',
    restocked: 'in den Bestand gelegt',
    lost: 'verloren gemeldet',
    broken: 'defekt',
    retired: 'ausgemustert',
    exported: 'ausgegeben',
  },
  tokenNeeds: {
    expiring: 'laufen in drei Monaten ab',
    'never-arrived': 'vor zwei Wochen verschickt, nicht angekommen',
    'never-proved': 'seit einem Monat beim Inhaber, nicht nachgewiesen',
  },
};

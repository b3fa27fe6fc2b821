import type { Words } from '../../../frame/messages/words.js';
import type { en } from './en.js';

/** What this area says, in German. */
export const de: Words<typeof en> = {
  networks: {
    anonymising: 'Bekannt dafür, zu verbergen, wo Personen sind',
    title: 'Netze',
    hint:
      'Benannte Adressbereiche, nach denen sich Regeln richten. Sie dürfen sich überschneiden; eine ' +
      'Anmeldung nennt alle, in denen eine Adresse liegt.',
    none: 'Es gibt noch keine.',
    add: 'Netz hinzufügen',
    name: 'Name',
    place: 'Wo',
    ranges: 'Bereiche',
    rangesHint: 'Wie 10.1.0.0/16, 2001:db8::/48 oder eine Adresse; mit Kommas dazwischen',
    city: 'Stadt',
    country: 'Land',
    countryHint: 'Zwei Buchstaben, wie GB',
    change: 'Ändern',
    edit: 'Bearbeiten',
    delete: 'Löschen',
    deleteTitle: 'Das Netz {name} löschen?',
    deleteText: 'Die Bereiche {ranges} haben danach keinen Namen mehr.',
    deleted: 'Das Netz {name} ist gelöscht.',
    locate: 'In welchen Netzen liegt eine Adresse?',
    locateAct: 'Nachsehen',
    nowhere: 'In keinem davon.',
    liesIn: 'In {networks}.',
  },
};

/** Why nothing came from a key, as whoever stands before it is told. */
export const enKeys = {
  keyTroubles: {
    cancelled:
      'Nothing came from a key: it was called off, took too long, or none that is here fits. Try again, with the right key at hand.',
    known: 'This key is registered for you already.',
    unsupported: 'This browser cannot use passkeys or security keys here. Take another browser, or another way.',
    place: 'This page is at another address than the keys were made for. Open it by its usual address.',
    unfit: 'This key cannot do what is asked of it. Take another one.',
  },
};

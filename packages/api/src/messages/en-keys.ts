import type { KeyRefusal, MetadataProblem } from '@nimble-latch/core/vocabulary';

/** What is wrong with what is said of keys. */
export const enKeyFields = {
  'party-address': 'browsers make keys for names alone, never for an address',
  'party-not-a-domain': 'expected a domain in lower case, such as wexmoor.example',
  'party-too-wide':
    'others have names below it too: their pages could ask for your keys. Take the domain that is yours',
  'party-other-host': 'the service is at {host}, which is neither it nor below it',
  'origin-form':
    'expected an origin such as https://berths.wexmoor.example, with the port where it is not the usual one',
  'origin-address': 'browsers let keys answer on pages that have a name, never an address',
  'origin-plain': 'has to begin with https, except on localhost',
  'origin-own': 'is the origin of our own pages, which no application can have',
  'origin-taken': 'is another application’s: one could collect answers that are meant for the other',
  'no-origins':
    'webauthn: say first from which origins keys may answer for this application (nlatch application origins)',
  'name-or-key': 'expected either a login name or what a key answered',
  'metadata-address': 'expected an address that begins with https or http',
  certificate: 'expected one certificate in PEM',
  'only-models-attested': 'models can be told for sure only where attestation is required',
  algorithms: 'expected names of algorithms, such as ES256, EdDSA or RS256',
  'app-id': 'expected the address of the former application id, which begins with https',
};

/** Why nothing came from a key, as whoever stands before it is told. */
export const enKeys = {
  keyRefusals: {
    'model-compromised': 'it is reported that its model is not to be relied on',
    'not-attested': 'it does not show who made it',
    'not-trusted': 'what it shows of its maker leads to nobody who is trusted here',
    'model-denied': 'its model is left out here',
    'model-not-allowed': 'its model is none of those that are taken here',
    synced: 'it is copied to other devices, and one that stays on its own is wanted',
    'not-discoverable': 'it does not keep in itself whose it is',
    attachment: 'it is of the other kind than is wanted: part of the device, or apart from it',
  } satisfies Record<KeyRefusal, string>,
  metadataProblems: {
    'too-long': 'it is longer than any that was published',
    'not-a-blob': 'it is no signed list of key models',
    signature: 'its signature is not right',
    'no-root': 'its certificates do not lead to the root that is believed',
    older: 'it is older than the one before',
  } satisfies Record<MetadataProblem, string>,
  keyTroubles: {
    cancelled:
      'Nothing came from a key: it was called off, took too long, or none that is here fits. Try again, with the right key at hand.',
    known: 'This key is registered for you already.',
    unsupported: 'This browser cannot use passkeys or security keys here. Take another browser, or another way.',
    place: 'This page is at another address than the keys were made for. Open it by its usual address.',
    unfit: 'This key cannot do what is asked of it. Take another one.',
  },
};

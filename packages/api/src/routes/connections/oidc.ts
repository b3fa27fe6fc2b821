import { CLIENT_KINDS, RELEASES, TOKEN_ALGORITHMS } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { LIMITS } from '../../limits.js';
import { id } from '../../schema.js';

const address = z.string().max(LIMITS.addressChars);

const parameters = z.strictObject({
  client: z.enum(CLIENT_KINDS).describe('Whether it can keep a secret: confidential has one, public has none'),
  redirectUris: z.array(address).min(1).max(LIMITS.redirectUris).describe('Compared as they stand'),
  endUris: z.array(address).max(LIMITS.redirectUris).describe('Where people may be sent after signing out'),
  releases: z.array(z.enum(RELEASES)).describe('What it may learn of people beside who they are'),
  algorithm: z.enum(TOKEN_ALGORITHMS).describe('What its ID tokens are signed with'),
});
const { client, endUris, releases, algorithm } = parameters.shape;
const firsts = {
  endUris: endUris.default([]),
  releases: releases.default(['profile']),
  algorithm: algorithm.default('RS256'),
};

/** How an application is connected by OpenID Connect. */
export const oidc = {
  shown: z
    .strictObject({ ...parameters.shape, issuer: z.string(), clientId: id })
    .nullable()
    .describe('For connections by OpenID Connect'),
  added: parameters
    .extend({ client: client.default('confidential'), ...firsts })
    .optional()
    .describe('For connections by OpenID Connect, and for those alone'),
  edited: parameters.omit({ client: true }).partial(),
  /** In a file there is no first answer to who it is: that is written out. */
  written: parameters.extend(firsts).optional(),
};

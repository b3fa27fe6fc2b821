import { CONNECTION_SPECS } from '@nimble-latch/core/connections/kinds';
import { addressProblem } from '@nimble-latch/core/oidc';
import type { Claim, ClientKind, Release, TokenAlgorithm } from '@nimble-latch/core/vocabulary';
import { badField } from '../../platform/errors.js';
import type { ConnectionHandling } from '../../areas/applications/connection-handling.js';

/** What a connection by OpenID Connect keeps beside what every connection has. */
export interface OidcParameters {
  readonly client: ClientKind;
  readonly redirectUris: readonly string[];
  readonly endUris: readonly string[];
  readonly releases: readonly Release[];
  readonly algorithm: TokenAlgorithm;
}

export const oidcHandling: ConnectionHandling<OidcParameters> = {
  keep: ({ oidc: parameters, scopes, claims }) => {
    if (!parameters) throw badField('body.oidc', 'missing');
    assertAddresses('body.oidc.redirectUris', parameters.redirectUris);
    assertAddresses('body.oidc.endUris', parameters.endUris);
    assertScopes(scopes);
    assertClaims(parameters.client, claims);
    return parameters;
  },
  change: (before, { oidc: change, scopes, claims }) => {
    assertScopes(scopes);
    if (claims) assertClaims(before.client, claims);
    if (!change) return undefined;
    if (change.redirectUris) assertAddresses('body.oidc.redirectUris', change.redirectUris);
    if (change.endUris) assertAddresses('body.oidc.endUris', change.endUris);
    const given = Object.fromEntries(Object.entries(change).filter(([, value]) => value !== undefined));
    return { ...before, ...given };
  },
  restate: (before, { oidc: written }) => {
    if (!written) throw badField('body.oidc', 'missing');
    const { client, ...change } = written;
    if (client !== before.client) throw badField('body.oidc.client', 'not-changed');
    return { oidc: change };
  },
  show: (deps, id, kept) => ({
    oidc: {
      ...kept,
      redirectUris: [...kept.redirectUris],
      endUris: [...kept.endUris],
      releases: [...kept.releases],
      issuer: deps.config.publicUrl.origin,
      clientId: id,
    },
  }),
  // Made before anybody asks for it: clients keep the keys that they have read for some minutes.
  makeReady: async (deps, { oidc: parameters }) => {
    if (parameters?.algorithm) await deps.signing.signer(deps, parameters.algorithm);
  },
  hasSecret: ({ client }) => client === 'confidential',
};

/** Asserts that people may be sent to addresses. Throws with the place of the first that is wrong. */
function assertAddresses(where: string, addresses: readonly string[]): void {
  addresses.forEach((address, i) => {
    const problem = addressProblem(address);
    if (problem) throw badField(`${where}[${i}]`, problem);
    if (addresses.indexOf(address) !== i) throw badField(`${where}[${i}]`, 'twice');
  });
}

function assertScopes(scopes: readonly string[] | undefined): void {
  if (scopes !== undefined && scopes.length > 0) throw badField('body.scopes', 'no-scopes');
}

/** Only an application that says who it is by a secret is believed, and only what it can say by this protocol. */
function assertClaims(client: ClientKind, claims: readonly Claim[]): void {
  const possible: readonly Claim[] = CONNECTION_SPECS.oidc.claims;
  if (claims.some((claim) => !possible.includes(claim))) throw badField('body.claims', 'oidc-claims');
  if (client === 'public' && claims.length > 0) throw badField('body.claims', 'public-claims');
}

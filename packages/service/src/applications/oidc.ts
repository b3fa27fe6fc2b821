import type { Parsed } from '@nimble-latch/api';
import { addressProblem } from '@nimble-latch/core/oidc';
import { badField } from '../errors.js';
import type { OidcParameters } from '../oidc/clients.js';

type Added = Parsed<'connections.add', 'body'>;

/** Asserts that people may be sent to addresses. Throws with the place of the first that is wrong. */
function assertAddresses(where: string, addresses: readonly string[]): void {
  addresses.forEach((address, i) => {
    const problem = addressProblem(address);
    if (problem) throw badField(`${where}[${i}]`, problem);
    if (addresses.indexOf(address) !== i) throw badField(`${where}[${i}]`, 'twice');
  });
}

/** What is kept of a new connection; null for another kind. Throws what does not go together. */
export function oidcParameters({ kind, oidc, scopes, claims }: Added): OidcParameters | null {
  if ((kind === 'oidc') !== (oidc !== undefined)) throw badField('body.oidc', oidc ? 'only-oidc' : 'missing');
  if (!oidc) return null;
  assertAddresses('body.oidc.redirectUris', oidc.redirectUris);
  assertAddresses('body.oidc.endUris', oidc.endUris);
  if (scopes !== undefined && scopes.length > 0) throw badField('body.scopes', 'no-scopes');
  assertOidcClaims(oidc.client, claims);
  return oidc;
}

/** Only an application that says who it is by a secret is believed, and only what it can say by this protocol. */
export function assertOidcClaims(client: OidcParameters['client'], claims: readonly string[]): void {
  if (claims.some((claim) => claim !== 'password-checked')) throw badField('body.claims', 'oidc-claims');
  if (client === 'public' && claims.length > 0) throw badField('body.claims', 'public-claims');
}

/** The parameters after a change of some. */
export function changedParameters(
  before: OidcParameters,
  change: NonNullable<Parsed<'connections.edit', 'body'>['oidc']>,
): OidcParameters {
  if (change.redirectUris) assertAddresses('body.oidc.redirectUris', change.redirectUris);
  if (change.endUris) assertAddresses('body.oidc.endUris', change.endUris);
  const given = Object.fromEntries(Object.entries(change).filter(([, value]) => value !== undefined));
  return { ...before, ...given };
}

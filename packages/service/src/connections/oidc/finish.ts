import { acrOf, backWithCode, backWithError, type Grant } from '@nimble-latch/core/oidc';
import { amrOf, delegateOf, type ProofDone } from '@nimble-latch/core/signin';
import { carryOut, insertion } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import { issueToken } from '../../platform/secrets/tokens.js';
import type { StoredSignIn } from '../../areas/signins/stored.js';
import type { SealedRequest } from '../../platform/http/page-seals.js';

/** RFC 6749 §4.1.2 advises ten minutes at most; the browser brings it back at once. */
const CODE_SECONDS = 60;

export const issuerOf = (deps: Deps): string => deps.config.publicUrl.origin;

/** Proofs as far as they were made for this: not those of an earlier day, which nobody else should take for fresh. */
const fresh = (proofs: readonly ProofDone[]) => proofs.filter(({ remembered }) => !remembered);

/**
 * Somebody was let in: makes the code for their application and the address that takes it there.
 *
 * @returns where the browser goes
 */
export async function grantCode(
  deps: Deps,
  work: Work,
  request: SealedRequest,
  { id: signInId, personId, signIn }: StoredSignIn,
): Promise<string> {
  if (request.hintPerson !== undefined && request.hintPerson !== personId)
    return backWithError(request, 'login_required', 'somebody else signed in than the one named', issuerOf(deps));
  const proofs = fresh(signIn.proofs);
  const made = proofs.map(({ at }) => Date.parse(at));
  const delegate = delegateOf(proofs);
  const way = proofs.map(({ method, can }) => ({ method, qualifiers: can }));
  const grant: Grant = {
    clientId: request.clientId,
    person: personId!,
    nonce: request.nonce,
    authTime: Math.floor(Math.min(work.now.getTime(), ...made) / 1000),
    acr: acrOf(way, request.acr),
    amr: amrOf(proofs),
    releases: request.releases,
    ...(delegate === undefined ? {} : { delegate }),
  };
  const id = newId(deps);
  const { token, hash, hashKeyId } = issueToken(deps, 'code', id);
  await carryOut(
    work,
    insertion('oidc_grants', {
      id: idBytes(id),
      connectionId: idBytes(request.clientId),
      personId: idBytes(personId!),
      signInId: idBytes(signInId),
      codeHash: hash,
      hashKeyId: idBytes(hashKeyId),
      redirectUri: request.redirectUri,
      challenge: request.challenge,
      data: JSON.stringify(grant),
      expiresAt: new Date(work.now.getTime() + CODE_SECONDS * 1000),
    }),
  );
  return backWithCode(request, token, issuerOf(deps));
}

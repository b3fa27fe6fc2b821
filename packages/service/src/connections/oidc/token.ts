import { idTokenClaims, isVerifierOf, single, userInfo, type Grant, type Parameters } from '@nimble-latch/core/oidc';
import { SignJWT } from 'jose';
import { select, selectOne, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { openContact } from '../../areas/people/contact.js';
import { issueToken, tokenId, verifyToken } from '../../platform/secrets/tokens.js';
import type { RegisteredClient } from './clients.js';
import { issuerOf } from './finish.js';

/** How long what a code gave serves at the userinfo endpoint, seconds. */
const ACCESS_SECONDS = 600;

/** The endpoints of clients refuse in the form of RFC 6749 §5.2. */
export class TokenRefusal extends Error {
  constructor(
    readonly error:
      | 'invalid_request'
      | 'invalid_client'
      | 'invalid_grant'
      | 'unsupported_grant_type'
      | 'invalid_token'
      | 'invalid_scope'
      | 'temporarily_unavailable',
    readonly description: string,
  ) {
    super(error);
  }
}

interface GrantRow {
  id: Buffer;
  connection_id: Buffer;
  person_id: Buffer;
  code_hash: Buffer;
  hash_key_id: Buffer;
  redirect_uri: string;
  challenge: string;
  data: string;
  expires_at: Date;
  used_at: Date | null;
}

/** One sentence for all of these: which it was is nobody's business who cannot tell themselves. */
const BAD_CODE = 'the code is not one that this client may use now';

/**
 * Gives an ID token and an access token for a code, RFC 6749 §4.1.3 and OpenID Connect Core §3.1.3. Client, address and
 * verifier are looked at first, so that nobody can spend a code that they could not use; then one conditional write decides
 * who is first. A code that comes again takes back what it gave (RFC 6749 §4.1.2).
 */
export async function redeemCode(
  deps: Deps,
  client: RegisteredClient,
  parameters: Parameters,
  origin: string,
): Promise<Readonly<Record<string, unknown>>> {
  const get = (name: string) => single(parameters, name);
  if (get('grant_type') === undefined) throw new TokenRefusal('invalid_request', 'grant_type is missing');
  if (get('grant_type') !== 'authorization_code')
    throw new TokenRefusal('unsupported_grant_type', 'grant_type must be authorization_code');
  for (const name of ['code', 'redirect_uri', 'code_verifier'])
    if (get(name) === undefined) throw new TokenRefusal('invalid_request', `${name} is missing, or there twice`);
  const code = get('code')!;
  const id = tokenId('code', code);
  const row = id && (await selectOne<GrantRow>(deps, 'SELECT * FROM oidc_grants WHERE id = :id', { id: idBytes(id) }));
  const genuine =
    row &&
    idText(row.connection_id) === client.id &&
    (await verifyToken(deps, 'code', id, code, { hash: row.code_hash, hash_key_id: row.hash_key_id }));
  if (!genuine || row.redirect_uri !== get('redirect_uri') || !isVerifierOf(row.challenge, get('code_verifier')!))
    throw new TokenRefusal('invalid_grant', BAD_CODE);
  const access = issueToken(deps, 'userinfo', id);
  const given = await inTransaction(deps, async (work) => {
    const first = await write(
      work,
      `UPDATE oidc_grants SET used_at = :now, token_hash = :hash, token_key_id = :keyId, token_expires_at = :until
       WHERE id = :id AND used_at IS NULL AND expires_at > :now
         AND EXISTS (SELECT 1 FROM persons p WHERE p.id = person_id AND p.state = 'active')`,
      {
        id: row.id,
        now: work.now,
        hash: access.hash,
        keyId: idBytes(access.hashKeyId),
        until: new Date(work.now.getTime() + ACCESS_SECONDS * 1000),
      },
    );
    if (first === 1) return true;
    const replayed = await write(
      work,
      'UPDATE oidc_grants SET token_expires_at = :now WHERE id = :id AND used_at IS NOT NULL AND token_expires_at > :now',
      { id: row.id, now: work.now },
    );
    if (replayed === 1)
      await work.trail({
        actor: { kind: 'application', id: client.applicationId },
        action: 'code.replayed',
        target: { kind: 'application', id: client.applicationId },
        person: idText(row.person_id),
        origin,
        reason: null,
        details: { connection: client.id },
      });
    return false;
  });
  if (!given) throw new TokenRefusal('invalid_grant', BAD_CODE);
  const grant = JSON.parse(row.data) as Grant;
  const { kid, key: signer } = await deps.signing.signer(deps, client.algorithm);
  const claims = idTokenClaims(grant, issuerOf(deps), Math.floor(deps.now().getTime() / 1000));
  const idToken = await new SignJWT(claims).setProtectedHeader({ alg: client.algorithm, kid, typ: 'JWT' }).sign(signer);
  return {
    access_token: access.token,
    token_type: 'Bearer',
    expires_in: ACCESS_SECONDS,
    id_token: idToken,
    scope: ['openid', ...grant.releases].join(' '),
  };
}

/** What an access token may learn of its person, OpenID Connect Core §5.3. Throws `invalid_token`. */
export async function claimsOfPerson(
  deps: Deps,
  authorization: string | undefined,
): Promise<Readonly<Record<string, unknown>>> {
  const token = /^Bearer ([\w-]{1,200})$/i.exec(authorization ?? '')?.[1];
  const id = token === undefined ? undefined : tokenId('userinfo', token);
  const row =
    id === undefined
      ? undefined
      : await selectOne<{
          person_id: Buffer;
          token_hash: Buffer | null;
          token_key_id: Buffer;
          data: string;
          display_name: string;
          language: string;
          time_zone: string;
          mail_sealed: Buffer | null;
          login_name: string | null;
          changed_at: Date;
        }>(
          deps,
          `SELECT g.person_id, g.token_hash, g.token_key_id, g.data, p.display_name, p.language, p.time_zone, p.mail_sealed, p.updated_at AS changed_at,
             (SELECT n.value FROM login_names n WHERE n.person_id = p.id ORDER BY n.id LIMIT 1) AS login_name
           FROM oidc_grants g JOIN persons p ON p.id = g.person_id
           WHERE g.id = :id AND g.token_expires_at > :now AND p.state = 'active'`,
          { id: idBytes(id), now: deps.now() },
        );
  const right =
    row?.token_hash &&
    (await verifyToken(deps, 'userinfo', id!, token!, { hash: row.token_hash, hash_key_id: row.token_key_id }));
  if (!right) throw new TokenRefusal('invalid_token', 'the access token is not one that serves now');
  const { releases } = JSON.parse(row.data) as Grant;
  const groups = releases.includes('groups')
    ? await select<{ name: string }>(
        deps,
        `SELECT DISTINCT g.name FROM person_groups g WHERE g.id IN (SELECT group_id FROM group_members WHERE person_id = :id)
           OR g.id IN (SELECT c.whole_id FROM group_members m JOIN group_closure c ON c.part_id = m.group_id WHERE m.person_id = :id)
         ORDER BY g.name`,
        { id: row.person_id },
      )
    : [];
  const person = idText(row.person_id);
  return userInfo(
    {
      id: person,
      displayName: row.display_name,
      loginName: row.login_name,
      language: row.language,
      timeZone: row.time_zone,
      mail: releases.includes('email') ? await openContact(deps, person, 'mail', row.mail_sealed) : null,
      groups: groups.map(({ name }) => name),
      changedAt: Math.floor(row.changed_at.getTime() / 1000),
    },
    releases,
  );
}

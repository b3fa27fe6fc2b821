import type { Client } from '@nimble-latch/core/oidc';
import { type Id, type Claim, type TokenAlgorithm, parseId } from '@nimble-latch/core/vocabulary';
import type { OidcParameters } from './handling.js';
import { selectOne, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { tokenId, verifyToken } from '../../platform/secrets/tokens.js';

/** A relying party with the application that it is. */
export interface RegisteredClient extends Client {
  readonly applicationId: Id;
  readonly applicationName: string;
  readonly algorithm: TokenAlgorithm;
}

/** The relying party that a `client_id` names; undefined for nobody. */
export async function findClient(deps: Deps, clientId: string | undefined): Promise<RegisteredClient | undefined> {
  // Compared to the letter (RFC 6749 §2.2), so that one connection has one `client_id`.
  const id = clientId === undefined ? undefined : parseId(clientId);
  if (id === undefined || id !== clientId) return undefined;
  const row = await selectOne<{ application_id: Buffer; name: string; claims: string; parameters: string }>(
    deps,
    `SELECT c.application_id, a.name, c.claims, c.parameters FROM connections c JOIN applications a ON a.id = c.application_id
     WHERE c.id = :id AND c.kind = 'oidc'`,
    { id: idBytes(id) },
  );
  if (!row) return undefined;
  const { client, ...parameters } = JSON.parse(row.parameters) as OidcParameters;
  return {
    id,
    kind: client,
    ...parameters,
    claims: row.claims.split(' ').filter(Boolean) as Claim[],
    applicationId: idText(row.application_id),
    applicationName: row.name,
  };
}

/** What a client says of itself at an endpoint of its own. */
export interface Presented {
  readonly clientId: string | undefined;
  readonly secret: string | undefined;
}

/** Reads `Authorization: Basic` (RFC 6749 §2.3.1: both parts form-encoded first); undefined where it is none. */
export function basicCredentials(header: string | undefined): Presented | undefined {
  const match = /^Basic ([\w+/=-]{1,2000})$/i.exec(header ?? '');
  if (!match) return undefined;
  const [clientId, ...rest] = Buffer.from(match[1]!, 'base64').toString().split(':');
  try {
    const plain = (part: string) => decodeURIComponent(part.replaceAll('+', ' '));
    return { clientId: plain(clientId!), secret: plain(rest.join(':')) };
  } catch {
    return { clientId: undefined, secret: undefined };
  }
}

/** The client that authenticates itself (RFC 6749 §3.2.1); a public one has only to be named. Undefined where it fails. */
export async function authenticateClient(
  deps: Deps,
  { clientId, secret }: Presented,
): Promise<RegisteredClient | undefined> {
  const client = await findClient(deps, clientId);
  if (!client) return undefined;
  if (client.kind === 'public') return secret === undefined ? client : undefined;
  const id = secret === undefined ? undefined : tokenId('connection', secret);
  if (id === undefined || secret === undefined) return undefined;
  const row = await selectOne<{ hash: Buffer; hash_key_id: Buffer; last_used_at: Date | null }>(
    deps,
    `SELECT hash, hash_key_id, last_used_at FROM connection_keys
     WHERE id = :id AND connection_id = :client AND (expires_at IS NULL OR expires_at > :now)`,
    { id: idBytes(id), client: idBytes(client.id), now: deps.now() },
  );
  if (!row || !(await verifyToken(deps, 'connection', id, secret, row))) return undefined;
  if (!row.last_used_at || deps.now().getTime() - row.last_used_at.getTime() > 60_000)
    await write(deps, 'UPDATE connection_keys SET last_used_at = :now WHERE id = :id', {
      id: idBytes(id),
      now: deps.now(),
    });
  return client;
}

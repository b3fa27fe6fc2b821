import type { Id } from '@nimble-latch/core/vocabulary';
import { decodeBase32, encodeBase32 } from '@nimble-latch/core/crypto';
import { idBytes, idText } from '../ids.js';
import type { Deps } from '../deps.js';

/**
 * Bearer secrets: `<prefix>_<id>_<secret>`. The id finds the row, the secret (160 random bits) is only ever verified.
 * The prefix lets scanners for leaked secrets recognise them.
 */
export const TOKEN_PREFIX = {
  connection: 'nlk',
  access: 'nla',
  session: 'nls',
  link: 'nll',
  'browser-session': 'nlp',
  browser: 'nlb',
  code: 'nlc',
  userinfo: 'nlu',
  notice: 'nln',
  device: 'nld',
} as const;
export type TokenKind = keyof typeof TOKEN_PREFIX;

const SECRET_BYTES = 20;

/** A new secret for the row `id`, with what is stored of it. */
export function issueToken(
  deps: Deps,
  kind: TokenKind,
  id: Id,
): { token: string; hint: string; hash: Buffer; hashKeyId: Id } {
  const token = `${TOKEN_PREFIX[kind]}_${encodeBase32(idBytes(id)).toLowerCase()}_${encodeBase32(deps.random(SECRET_BYTES)).toLowerCase()}`;
  const { hash, keyId } = deps.keys.current.hash(`${kind} ${id}`, token);
  // The hint ends inside the id, which is no secret.
  return { token, hint: `${token.slice(0, 12)}…`, hash, hashKeyId: keyId };
}

const SHAPE = /^(nl[kaslpbcund])_([a-z2-7]{26})_[a-z2-7]{32}$/;

/** The id inside a token of this kind, or undefined when it has not even its shape. */
export function tokenId(kind: TokenKind, token: string): Id | undefined {
  const match = SHAPE.exec(token);
  if (match?.[1] !== TOKEN_PREFIX[kind]) return undefined;
  // Undefined also where the two spare bits are set, or two spellings would name one row.
  const id = decodeBase32(match[2]!);
  return id ? idText(id) : undefined;
}

/** Whether the token is the one that the row was made with. */
export async function verifyToken(
  deps: Deps,
  kind: TokenKind,
  id: Id,
  token: string,
  row: { readonly hash: Buffer } & ({ readonly hashKeyId: Id } | { readonly hash_key_id: Buffer }),
): Promise<boolean> {
  const keyId = 'hashKeyId' in row ? row.hashKeyId : idText(row.hash_key_id);
  return await deps.keys.opening((keys) => keys.verify(`${kind} ${id}`, token, { keyId, hash: row.hash }));
}

import { createClient, type Client } from '@nimble-latch/api/client';
import type { Installation } from './installation.js';
import { PASSWORD } from './installation.js';

/** Somebody with roles, who has signed in with a password. */
export interface Administrator {
  readonly id: string;
  readonly client: Client;
  readonly token: string;
}

/**
 * Adds somebody and gives them a role in the database, as if an owner had done so: getting one through the interface
 * takes a countersignature, which has tests of its own.
 */
export async function administrator(
  inst: Installation,
  loginName: string,
  role: string,
  groups: readonly string[] | null = null,
): Promise<Administrator> {
  const owner = inst.client(inst.url);
  const { id } = await owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  const hex = (text: string) => text.replaceAll('-', '');
  await inst.sql(
    'INSERT INTO role_grants (person_id, role, granted_at, limited) VALUES (UNHEX(?), ?, UTC_TIMESTAMP(3), ?)',
    [hex(id), role, groups ? 1 : 0],
  );
  for (const group of groups ?? [])
    await inst.sql('INSERT INTO role_limits VALUES (UNHEX(?), ?, UNHEX(?))', [hex(id), role, hex(group)]);
  const token = await tokenOf(inst, loginName);
  return { id, token, client: inst.client(inst.url, token) };
}

/** An access token got by signing in with the password. */
export async function tokenOf(inst: Installation, loginName: string): Promise<string> {
  const open = createClient({ server: inst.url });
  const { signIn, handle } = await open.call('console.begin', { body: { loginName } });
  const { accessToken } = await open.call('console.prove', {
    params: { id: signIn.id },
    body: { handle, kind: 'password', value: PASSWORD, want: { kind: 'access-token', label: 'test' } },
  });
  return accessToken!.token;
}

/** Does what needs a countersignature where nobody else could give it: asks, lets the waiting time pass, does it. */
export async function afterWaiting<T>(inst: Installation, doing: () => Promise<T>): Promise<T> {
  await doing().catch((error: { code?: string }) => {
    if (error.code !== 'signature-needed') throw error;
  });
  await inst.sql('UPDATE signature_requests SET asked_at = asked_at - INTERVAL 61 MINUTE');
  return await doing();
}

/** Does what needs a countersignature: asks for it, has somebody else give it, does it. */
export async function withSignature<T>(signer: Client, doing: () => Promise<T>): Promise<T> {
  const error = await doing().then(
    () => undefined,
    (problem: unknown) => problem as { problem?: { code: string; facts: { request: string } } },
  );
  if (error?.problem?.code !== 'signature-needed')
    throw (error as Error | undefined) ?? new Error('no countersignature was needed');
  await signer.call('signatures.give', { params: { id: error.problem.facts.request } });
  return await doing();
}

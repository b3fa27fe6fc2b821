import { normaliseLoginName } from '../loginnames/index.js';
import { readCell, type RowIssue } from '../tables/person-row.js';
import { KEY_FILE_COLUMNS, type RowReason } from '../vocabulary.js';
import { readCredentialKey } from './assertion.js';
import { algorithmName } from './cose.js';

/** One credential as a file has it: a credential record, WebAuthn Level 3 §4, and whose it is. */
export interface FileCredential {
  /** Login name, normalised. */
  readonly owner: string;
  readonly id: Uint8Array;
  /** COSE_Key. */
  readonly publicKey: Uint8Array;
  readonly algorithm: number;
  readonly signCount: number;
  readonly transports: readonly string[];
  /** The application id of FIDO U2F that it was made for. */
  readonly appId: string | undefined;
  /** By which the former server knew its holder; keys that find themselves say it. */
  readonly userHandle: Uint8Array | undefined;
  readonly aaguid: Uint8Array;
  readonly backupEligible: boolean;
  readonly backedUp: boolean;
  readonly verified: boolean;
  readonly label: string;
}

/** What keys are made for here. */
export interface FileParty {
  readonly rpId: string;
  readonly appId: string | null;
}

type Column = (typeof KEY_FILE_COLUMNS)[number];
type Cells = Partial<Record<Column, string>>;

/** Members of a line, with the columns that they come to. */
const MEMBERS: Readonly<Record<string, Column>> = {
  loginName: 'owner',
  id: 'credential-id',
  publicKey: 'public-key',
  signCount: 'sign-count',
  transports: 'transports',
  rpId: 'rp-id',
  appId: 'app-id',
  userHandle: 'user-handle',
  aaguid: 'aaguid',
  verified: 'verified',
  label: 'called',
};
const LONGEST_MEMBER = 4_000;

/** Reads one line of a file of credentials, a JSON object, as cells in the order of {@link KEY_FILE_COLUMNS}. */
export function cellsOfCredential(line: string): string[] {
  const said = readLine(line);
  return KEY_FILE_COLUMNS.map((column) => said[column] ?? '');
}

function readLine(line: string): Cells {
  let value: unknown;
  try {
    value = JSON.parse(line);
  } catch {
    return { problem: 'not-json' };
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return { problem: 'not-json' };
  const { backupEligible, backedUp, ...members } = value as Record<string, unknown>;
  const cells: Cells = {};
  for (const [name, one] of Object.entries(members)) {
    const column = Object.hasOwn(MEMBERS, name) ? MEMBERS[name]! : undefined;
    const text = Array.isArray(one) ? one.map(String).join(' ') : one === null ? '' : String(one);
    if (!column || (typeof one === 'object') !== (one === null || Array.isArray(one)))
      return { problem: 'member-unknown' };
    if (text.length > LONGEST_MEMBER) return { problem: 'too-long' };
    cells[column] = text;
  }
  return { ...cells, backup: backupOf(backupEligible, backedUp) };
}

function backupOf(eligible: unknown, backedUp: unknown): string {
  if (eligible === undefined && backedUp === undefined) return 'no';
  if (typeof eligible !== 'boolean' || typeof backedUp !== 'boolean') return '?';
  return eligible ? (backedUp ? 'copied' : 'eligible') : backedUp ? '?' : 'no';
}

const BYTES = /^[\w-]+$/;
const [LEAST_ID, MOST_ID, MOST_HANDLE] = [16, 1_023, 64];

/**
 * Reads a row, each member by the bounds of the specification: the key strictly, as in a ceremony. What only the database tells (whose
 * the credential is, whether it is somebody's already) is left to the caller.
 */
export function readCredentialRow(
  cells: readonly string[],
  { rpId, appId }: FileParty,
): {
  readonly row: FileCredential | undefined;
  readonly owner: string | undefined;
  readonly issues: readonly RowIssue[];
} {
  const issues: RowIssue[] = [];
  const at = (column: Column) => KEY_FILE_COLUMNS.indexOf(column);
  const said = (column: Column) => readCell(cells[at(column)] ?? '');
  const refuse = (column: Column | null, reason: RowReason, facts?: RowIssue['facts']): undefined =>
    void issues.push({ column: column === null ? null : at(column), reason, ...(facts ? { facts } : {}) });
  const problem = said('problem');
  if (problem !== '') {
    refuse(null, problem as RowReason);
    return { row: undefined, owner: undefined, issues };
  }
  const bytes = (column: Column, least: number, most: number): Uint8Array | undefined => {
    const text = said(column);
    if (text === '') return undefined;
    const read = BYTES.test(text) ? Buffer.from(text, 'base64url') : Buffer.alloc(0);
    return read.length >= least && read.length <= most ? read : refuse(column, 'not-bytes', { least, most });
  };
  const login = normaliseLoginName(said('owner'));
  if (said('owner') === '') refuse('owner', 'missing');
  else if (!login.ok) refuse('owner', 'unknown-person');
  const id = bytes('credential-id', LEAST_ID, MOST_ID);
  if (said('credential-id') === '') refuse('credential-id', 'missing');
  const publicKey = bytes('public-key', 32, 1_100);
  const key = publicKey && readCredentialKey(publicKey);
  if (said('public-key') === '') refuse('public-key', 'missing');
  else if (publicKey && !key) refuse('public-key', 'public-key');
  const counted = said('sign-count') === '' ? '0' : said('sign-count');
  const signCount = /^\d{1,10}$/.test(counted) ? Number(counted) : NaN;
  if (!(signCount <= 0xffff_ffff)) refuse('sign-count', 'not-a-number', { least: 0, most: 0xffff_ffff });
  const older = said('app-id');
  if (older !== '' && older !== appId) refuse('app-id', 'app-id-other');
  if (older === '' && said('rp-id') !== rpId)
    refuse('rp-id', said('rp-id') === '' ? 'missing' : 'rp-id-other', { rpId });
  const userHandle = bytes('user-handle', 1, MOST_HANDLE);
  const model = said('aaguid').replaceAll('-', '').toLowerCase();
  if (model !== '' && !/^[0-9a-f]{32}$/.test(model)) refuse('aaguid', 'not-bytes', { least: 16, most: 16 });
  const backup = said('backup');
  if (backup === '?') refuse('backup', 'backup');
  const verified = said('verified');
  if (!['', 'true', 'false'].includes(verified)) refuse('verified', 'not-yes-or-no');
  const label = said('called');
  if ([...label].length > 80) refuse('called', 'too-long', { most: 80 });
  const owner = login.ok ? login.value : undefined;
  if (issues.length > 0 || !id || !publicKey || !key || owner === undefined) return { row: undefined, owner, issues };
  return {
    row: {
      owner,
      id,
      publicKey,
      algorithm: key.algorithm,
      signCount,
      transports: [
        ...new Set(
          said('transports')
            .split(' ')
            .filter((one) => /^[a-z-]{1,20}$/.test(one)),
        ),
      ]
        .slice(0, 8)
        .sort(),
      appId: older === '' ? undefined : older,
      userHandle,
      aaguid: Buffer.from(model.padEnd(32, '0'), 'hex'),
      backupEligible: backup !== 'no',
      backedUp: backup === 'copied',
      verified: verified === 'true',
      label,
    },
    owner,
    issues,
  };
}

/** What somebody looks at before credentials are written: everything but bytes. */
export const credentialKind = ({ algorithm, appId }: FileCredential): string =>
  appId === undefined ? algorithmName(algorithm) : `${algorithmName(algorithm)}, U2F`;

import { LIMITS } from '@nimble-latch/api';
import { offerOf } from '@nimble-latch/core/methods';
import { RowIndex, type Change, type Plan } from '@nimble-latch/core/tables';
import {
  cellsOfCredential,
  credentialKind,
  readCredentialRow,
  refusedByRules,
  type FileCredential,
  type FileParty,
} from '@nimble-latch/core/webauthn';
import { KEY_FILE_COLUMNS, type Id } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { select, write, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { refreshKeyring } from '../people/facets.js';
import { readParty } from '../relying-party/cache.js';
import { PERSON_FACTS_OF_P, personFactsOf, type PersonFactsRow } from '../rulebook/facts.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import type { Block, FileRow } from './blocks.js';
import {
  entryBy,
  refusedPlan,
  type Author,
  type ImportPlanner,
  type KindOfFile,
  type Planned,
  type PlannedBlock,
} from './planner.js';
import { GrownCounts } from './grown-counts.js';
import { selectToHold } from '../../platform/db/claims.js';

/** Longest line of a file of credentials. */
const LONGEST_LINE = 20_000;

/** Credentials, one JSON object a line. */
export async function* credentialRows(pieces: AsyncIterable<string>): AsyncGenerator<FileRow> {
  let rest = '';
  let line = 0;
  const rowOf = (said: string): FileRow => ({ line, cells: cellsOfCredential(said) });
  for await (const piece of pieces) {
    const lines = (rest + piece).split(/\r\n|\n|\r/);
    rest = lines.pop()!;
    if (rest.length > LONGEST_LINE) throw new Refusal('key-file-unreadable', { what: 'too-large' });
    for (const said of lines) {
      line += 1;
      if (said.trim() !== '') yield rowOf(said);
    }
  }
  line += 1;
  if (rest.trim() !== '') yield rowOf(rest);
}

interface Holder {
  readonly id: Id;
  /** An administrator or an emergency account: no file gives them a key. */
  readonly protected: boolean;
  readonly groups: ReadonlySet<string>;
  /** Authenticators that they hold. */
  readonly held: number;
}

/** A row with whose it is. */
interface Read {
  readonly row: FileCredential | undefined;
  readonly holder: Holder | undefined;
}

/** Files of WebAuthn credentials from a former server. */
export const credentialFiles: KindOfFile<Read, GrownCounts> = { planner: (deps) => new CredentialPlanner(deps) };

const NO_MODEL = Buffer.alloc(16);

const HOLDERS = 'persons WHERE id IN (SELECT person_id FROM login_names WHERE value IN (:owners)) ORDER BY id';

/** The state is how many keys the rows so far give each person. */
class CredentialPlanner implements ImportPlanner<Read, GrownCounts> {
  readonly #deps: Deps;
  /** Where in the file what stands: noting the same once more makes no difference. */
  readonly #inFile = new RowIndex();
  #party: FileParty | undefined;
  readonly initial = new GrownCounts();
  readonly remembers = false;

  constructor(deps: Deps) {
    this.#deps = deps;
  }

  async plan(db: Db, state: GrownCounts, block: Block, locked: boolean): Promise<PlannedBlock<Read, GrownCounts>> {
    const party = await this.#partyOf(db);
    const read = block.rows.map(({ line, cells }, i) => ({
      ...readCredentialRow(cells, party),
      number: block.first + i,
      line,
    }));
    const holders = await this.#holders(
      db,
      read.flatMap(({ owner }) => owner ?? []),
      locked,
    );
    const known = await this.#known(
      db,
      read.flatMap(({ row }) => (row ? [Buffer.from(row.id)] : [])),
    );
    const given = new Map<string, number>();
    const rows: Planned<Read>[] = [];
    for (const { row, owner, issues, number, line } of read) {
      const holder = owner === undefined ? undefined : holders.get(owner);
      const there = row && known.get(Buffer.from(row.id).toString('hex'));
      const before = holder ? state.of(holder.id) + (given.get(holder.id) ?? 0) : 0;
      const all = [...issues, ...(row ? await this.#wrong(row, holder, there, locked ? undefined : line, before) : [])];
      const plan: Plan =
        all.length > 0
          ? refusedPlan(there?.id ?? null, all)
          : there
            ? { verdict: 'unchanged', id: there.id, changes: [], issues: [] }
            : { verdict: 'new', id: null, changes: locked ? [] : changesOf(row!), issues: [] };
      if (plan.verdict === 'new') given.set(holder!.id, (given.get(holder!.id) ?? 0) + 1);
      rows.push({ number, line, row: { row, holder }, name: owner ?? null, plan });
    }
    return { rows, nextState: state.with(given) };
  }

  newGroups(): ReadonlySet<string> {
    return new Set();
  }

  /** As it is stored: what this node read a moment ago could be what another one has changed since. */
  async #partyOf(db: Db): Promise<FileParty> {
    if (!this.#party) {
      const { id: rpId, appId } = await readParty(db, this.#deps.config.publicUrl);
      this.#party = { rpId, appId };
    }
    return this.#party;
  }

  /**
   * What only the people and their keyrings tell.
   *
   * @param before keys that rows before give the same person
   */
  async #wrong(
    row: FileCredential,
    holder: Holder | undefined,
    there: { readonly id: Id; readonly person: Id } | undefined,
    line: number | undefined,
    before: number,
  ): Promise<Plan['issues']> {
    const at = (column: (typeof KEY_FILE_COLUMNS)[number]) => KEY_FILE_COLUMNS.indexOf(column);
    if (line !== undefined) {
      const first = this.#inFile.note(Buffer.from(row.id).toString('hex'), line);
      if (first !== undefined && first !== line)
        return [{ column: at('credential-id'), reason: 'twice-in-file', facts: { line: first } }];
    }
    if (!holder) return [{ column: at('owner'), reason: 'unknown-person' }];
    // What they are given needs a countersignature, or their own hands.
    if (holder.protected) return [{ column: at('owner'), reason: 'owner-at-desk' }];
    if (there) return there.person === holder.id ? [] : [{ column: at('credential-id'), reason: 'key-of-another' }];
    if (holder.held + before >= LIMITS.authenticatorsPerPerson)
      return [{ column: at('owner'), reason: 'too-many-held', facts: { most: LIMITS.authenticatorsPerPerson } }];
    const { settings } = await this.#deps.methods.current();
    const { enrol, decided } = offerOf(settings, 'webauthn', holder.groups);
    if (!enrol) return [{ column: at('owner'), reason: 'method-not-offered', facts: { method: 'webauthn' } }];
    // A file shows nothing of who made a key.
    const against = refusedByRules(decided?.cell.parameters ?? {}, {
      credential: { ...row, discoverable: undefined },
      attestation: { format: 'none', kind: 'none', chain: [] },
      trusted: false,
      compromised: false,
      attachment: undefined,
    });
    return against ? [{ column: at('aaguid'), reason: 'key-not-allowed', facts: { why: against } }] : [];
  }

  async #known(db: Db, ids: readonly Buffer[]): Promise<Map<string, { readonly id: Id; readonly person: Id }>> {
    if (ids.length === 0) return new Map();
    const rows = await select<{ credential_id: Buffer; id: Buffer; person_id: Buffer }>(
      db,
      `SELECT c.credential_id, a.id, a.person_id FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
       WHERE c.credential_id IN (:ids)`,
      { ids },
    );
    return new Map(
      rows.map((row) => [row.credential_id.toString('hex'), { id: idText(row.id), person: idText(row.person_id) }]),
    );
  }

  async #holders(db: Db, owners: readonly string[], locked: boolean): Promise<Map<string, Holder>> {
    if (owners.length === 0) return new Map();
    const sql = `SELECT n.value, p.id, ${PERSON_FACTS_OF_P}, p.emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id) AS protected,
         (SELECT COUNT(*) FROM authenticators h WHERE h.person_id = p.id AND h.state IN ('pending', 'active', 'suspended')) AS held
       FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:owners) AND p.state = 'active'
       ORDER BY p.id`;
    type Row = { value: string; id: Buffer; protected: number; held: number } & PersonFactsRow;
    const values = { owners: [...new Set(owners)] };
    const rows = locked ? await selectToHold<Row>(db, HOLDERS, sql, values) : await select<Row>(db, sql, values);
    return new Map(
      rows.map((row) => {
        const id = idText(row.id);
        const { groups } = personFactsOf(id, row);
        return [row.value, { id, protected: Number(row.protected) === 1, groups, held: Number(row.held) }];
      }),
    );
  }

  /** Nothing stands around credentials. */
  async begin(_: Work, state: GrownCounts): Promise<GrownCounts> {
    return await Promise.resolve(state);
  }

  async write(
    work: Work,
    _: GrownCounts,
    planned: readonly Planned<Read>[],
    author: Author,
    meanwhile: () => void,
  ): Promise<void> {
    meanwhile();
    const { rpId } = await this.#partyOf(work);
    const carriers: SqlValues[] = [];
    const authenticators: SqlValues[] = [];
    const credentials: SqlValues[] = [];
    const entries: NewEntry[] = [];
    const people = new Map<Id, { about: Id; label: string }>();
    for (const {
      row: { row, holder },
    } of planned) {
      const made = this.#rowsOf(work, row!, holder!.id, rpId);
      carriers.push(made.carrier);
      authenticators.push(made.authenticator);
      credentials.push(made.credential);
      people.set(holder!.id, { about: made.id, label: made.label });
      entries.push(
        entryBy(author, 'authenticator.imported', { kind: 'authenticator', id: made.id }, { person: holder!.id }),
      );
    }
    if (planned.length === 0) return;
    // With the first keys it is settled what keys here are made for.
    await write(work, 'INSERT IGNORE INTO relying_party (id, rp_id) VALUES (1, :rpId)', { rpId });
    await insertAll(work, 'carriers', carriers);
    await insertAll(work, 'authenticators', authenticators);
    await insertAll(work, 'webauthn_credentials', credentials);
    for (const [person, made] of people) {
      await write(work, 'UPDATE persons SET user_handle = :handle WHERE id = :id AND user_handle IS NULL', {
        handle: this.#deps.random(32),
        id: idBytes(person),
      });
      await refreshKeyring(work, person);
      await noticeTo(this.#deps, work, person, 'authenticator.proved', made);
    }
    await work.trailAll(entries);
  }

  #rowsOf({ now }: Work, row: FileCredential, person: Id, rpId: string) {
    const [id, carrier] = [newId(this.#deps), newId(this.#deps)];
    const inDevice = row.transports.includes('internal');
    const label = row.label || (inDevice ? 'Passkey of a device' : 'Security key');
    const aaguid = Buffer.from(row.aaguid);
    return {
      id,
      label,
      carrier: {
        id: idBytes(carrier),
        personId: idBytes(person),
        kind: inDevice ? 'laptop' : 'security-key',
        state: 'in-hand',
        label,
        createdAt: now,
      },
      authenticator: {
        id: idBytes(id),
        personId: idBytes(person),
        method: 'webauthn',
        state: 'active',
        label,
        parameters: '{}',
        createdAt: now,
        activatedAt: now,
        carrierId: idBytes(carrier),
        verified: row.verified,
        deviceBound: !row.backupEligible,
      },
      credential: {
        authenticatorId: idBytes(id),
        credentialId: Buffer.from(row.id),
        publicKey: Buffer.from(row.publicKey),
        algorithm: row.algorithm,
        signCount: row.signCount,
        backupEligible: row.backupEligible,
        backedUp: row.backedUp,
        aaguid,
        transports: row.transports.join(' '),
        discoverable: null,
        rpId,
        attestation: 'none',
        modelId: aaguid.equals(NO_MODEL) ? null : aaguid,
        trust: 'none',
        appId: row.appId ?? null,
        userHandle: row.userHandle ? Buffer.from(row.userHandle) : null,
      },
    };
  }
}

/** What somebody looks at before credentials are written. */
function changesOf(row: FileCredential): Change[] {
  return [
    { what: 'kind', from: null, to: credentialKind(row) },
    ...(row.label === '' ? [] : [{ what: 'called' as const, from: null, to: row.label }]),
  ];
}

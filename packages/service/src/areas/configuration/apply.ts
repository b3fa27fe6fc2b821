import { ROUTES, type Answer, type RouteId, type RouteSpec, type Sent } from '@nimble-latch/api';
import { planConfiguration, type ConfigStep } from '@nimble-latch/core/configuration';
import type { MethodRow } from '@nimble-latch/core/methods';
import type { ConfigPart } from '@nimble-latch/core/vocabulary';
import { SignatureNeeded } from '../access/countersign.js';
import { applicationHandlers } from '../applications/routes.js';
import { connect, restated } from '../applications/connections.js';
import { makeReady } from '../applications/connection-handling.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Call, Handler, Handlers } from '../../platform/http/call.js';
import { insightHandlers } from '../insight/routes.js';
import { methodHandlers, reviewRows } from '../methods/routes.js';
import { readSettings } from '../insight/settings-cache.js';
import { networkHandlers } from '../networks/routes.js';
import { forgetNetworks } from '../networks/table.js';
import { peopleHandlers } from '../people/routes.js';
import { draftRow } from '../rulebook/draft.js';
import { rulebookHandlers } from '../rulebook/routes.js';
import { readConfiguration, type ConfigurationFile, type ReadConfiguration } from './file.js';
import { connectionName, idKey, readPresent, thingsOf, type Present } from './now.js';

type Applying = Call<'configuration.plan'> | Call<'configuration.apply'>;
type Planned = Answer<'configuration.plan'>;

const HANDLERS = {
  ...insightHandlers,
  ...networkHandlers,
  ...peopleHandlers,
  ...applicationHandlers,
  ...methodHandlers,
  ...rulebookHandlers,
} as Partial<Handlers>;

/**
 * Brings a file in, thing by thing, each by the same call that an administrator would make: with its checks, its right, its
 * trail entry and its countersignature, but in one transaction, so that all of it stands or nothing.
 */
class Bringing {
  readonly #deps: Deps;
  readonly #work: Work;
  readonly #call: Applying;
  readonly #file: ConfigurationFile;
  readonly #lineOf: (path: string) => string;
  #present: Present;
  lockedOut = 0;

  constructor(deps: Deps, work: Work, call: Applying, read: ReadConfiguration, present: Present) {
    this.#deps = deps;
    this.#work = work;
    this.#call = call;
    this.#file = read.file;
    this.#lineOf = read.lineOf;
    this.#present = present;
  }

  /** Whom the file's matrix would lock out is taken as agreed where the caller only plans. */
  async bring(steps: readonly ConfigStep[], agreed: number | undefined): Promise<void> {
    const changed = (part: ConfigPart, name = '') =>
      steps.find(
        (step) => step.part === part && step.name.toLowerCase() === name.toLowerCase() && step.change !== 'same',
      );
    const { settings, networks = [], groups = [], applications = [], methods, rulebook } = this.#file;
    if (settings && changed('settings')) await this.#settings(settings);
    for (const [i, network] of networks.entries()) {
      const step = changed('network', network.name);
      if (step) await this.#thing(`networks[${i}]`, step, 'networks.add', 'networks.edit', network);
    }
    for (const [i, group] of groups.entries()) {
      const step = changed('group', group.name);
      const { parts: _parts, ...body } = group;
      // A change of nothing but its parts is none of the group itself.
      if (step && (step.change === 'added' || step.fields.some((field) => field !== 'parts')))
        await this.#thing(`groups[${i}]`, step, 'groups.add', 'groups.edit', body);
    }
    this.#present = await readPresent(this.#work);
    for (const [i, { name, parts = [] }] of groups.entries())
      if (changed('group', name)?.fields.includes('parts') || changed('group', name)?.change === 'added')
        for (const [j, part] of parts.entries()) await this.#part(`groups[${i}].parts[${j}]`, name, part);
    for (const [i, application] of applications.entries()) {
      const { connections: _connections, origins: _origins, ...body } = application;
      const step = changed('application', application.name);
      if (step && (step.change === 'added' || step.fields.some((field) => field !== 'origins')))
        await this.#thing(`applications[${i}]`, step, 'applications.add', 'applications.edit', body);
    }
    this.#present = await readPresent(this.#work);
    for (const [i, { name, origins }] of applications.entries()) {
      const step = changed('application', name);
      if (!origins || !step || (step.change !== 'added' && !step.fields.includes('origins'))) continue;
      const { id, version } = this.#present.ids.get(idKey('application', name))!;
      await this.#run(`applications[${i}]`, 'applications.setOrigins', { id }, { origins }, version);
    }
    for (const [i, { name, connections = [] }] of applications.entries())
      for (const [j, connection] of connections.entries()) {
        const step = changed('connection', connectionName(name, connection.label));
        if (step) await this.#connection(`applications[${i}].connections[${j}]`, name, step, connection);
      }
    if (methods && changed('methods')) await this.#methods(methods, agreed);
    if (rulebook !== undefined && changed('rulebook')) await this.#rulebook(rulebook);
  }

  async #settings(settings: NonNullable<ConfigurationFile['settings']>): Promise<void> {
    const { version } = await readSettings(this.#work);
    await this.#run('settings', 'settings.edit', undefined, settings, version);
  }

  async #thing(
    where: string,
    step: ConfigStep,
    add: 'networks.add' | 'groups.add' | 'applications.add',
    edit: 'networks.edit' | 'groups.edit' | 'applications.edit',
    body: object,
  ): Promise<void> {
    if (step.change === 'added') return void (await this.#run(where, add, undefined, body));
    const { id, version } = this.#present.ids.get(idKey(step.part, step.name))!;
    await this.#run(where, edit, { id }, body, version);
  }

  async #part(where: string, whole: string, part: string): Promise<void> {
    const [id, partId] = [whole, part].map((name) => this.#present.ids.get(idKey('group', name))?.id);
    if (partId === undefined) throw this.#wrong(where, 'hint:unknown-group');
    await this.#run(where, 'groups.addPart', { id, partId }, undefined);
  }

  async #connection(
    where: string,
    application: string,
    step: ConfigStep,
    connection: NonNullable<NonNullable<ConfigurationFile['applications']>[number]['connections']>[number],
  ): Promise<void> {
    this.#assertMay('connections.add');
    if (step.change === 'added') {
      const { id } = this.#present.ids.get(idKey('application', application))!;
      // No key is issued: nobody would see it. Whoever connects the application issues one when it is needed.
      const body = this.#parsed(where, 'connections.add', connection) as Call<'connections.add'>['body'];
      return void (await this.#placed(where, () => connect(this.#deps, this.#work, this.#call, id, body)));
    }
    if (step.fields.includes('kind')) throw this.#wrong(`${where}.kind`, 'hint:not-changed');
    const { id, version } = this.#present.ids.get(idKey('connection', step.name))!;
    const written = this.#parsed(where, 'connections.add', connection) as Call<'connections.add'>['body'];
    const { label, scopes, claims } = connection;
    const change = await this.#placed(where, async () => await restated(this.#deps, this.#work, id, written));
    await this.#run(where, 'connections.edit', { id }, { label, scopes, claims, ...change }, version);
  }

  async #methods(rows: NonNullable<ConfigurationFile['methods']>, agreed: number | undefined): Promise<void> {
    const meant = rows.map(({ group, cells }, i) => {
      const id = group === null ? null : this.#present.ids.get(idKey('group', group))?.id;
      if (id === undefined) throw this.#wrong(`methods[${i}].group`, 'hint:unknown-group');
      return { group: id, cells };
    });
    const { version } = await this.#version();
    const looked = await this.#placed('methods', () =>
      reviewRows(this.#work, meant as MethodRow[], this.#call.actor.personId, this.#work.now),
    );
    this.lockedOut = looked.people;
    await this.#run('methods', 'methods.edit', undefined, { rows: meant, lockedOut: agreed ?? looked.people }, version);
  }

  async #version(): Promise<{ version: number }> {
    const { answer } = await methodHandlers['methods.show'](this.#deps, this.#call as never);
    return answer;
  }

  async #rulebook(text: string): Promise<void> {
    const draft = await draftRow(this.#work, this.#work.transaction.LOCK.UPDATE);
    if (draft.text === text) return;
    if (draft.text !== null) throw new Refusal('draft-in-the-way');
    await this.#run('rulebook', 'rulebookDraft.save', undefined, { text }, draft.version);
  }

  /** Makes one call of the contract within this transaction, with its right and its schema. */
  // eslint-disable-next-line @typescript-eslint/no-unnecessary-type-parameters -- ties the handler to its call
  async #run<R extends RouteId>(
    where: string,
    id: R,
    params: object | undefined,
    body: object | undefined,
    ifMatch?: number,
  ): Promise<void> {
    this.#assertMay(id);
    const call = {
      ...this.#call,
      params,
      body: this.#parsed(where, id, body),
      ifMatch,
      run: async (useCase: (work: Work) => Promise<unknown>) => await useCase(this.#work),
    } as unknown as Call<R>;
    await this.#placed(where, async () => await HANDLERS[id]!(this.#deps, call));
  }

  #assertMay(id: RouteId): void {
    const { access } = ROUTES[id] as RouteSpec;
    if (access.kind !== 'operator' || this.#call.actor.rights.get(access.permission) !== 'everybody')
      throw new Refusal('not-permitted', { permission: access.kind === 'operator' ? access.permission : id });
  }

  #parsed<R extends RouteId>(where: string, id: R, body: object | undefined): Sent<R, 'body'> | undefined {
    const { body: schema } = ROUTES[id] as RouteSpec;
    if (!schema) return undefined;
    // The file's own schema has been through it; what is left is what the call leaves out or bounds more narrowly.
    const parsed = schema.safeParse(body);
    if (!parsed.success) throw this.#wrong(where, 'hint:no-form');
    return parsed.data as Sent<R, 'body'>;
  }

  /** What is wrong with a field of a call is wrong at its place of the file. */
  async #placed<T>(where: string, doing: () => Promise<T>): Promise<T> {
    try {
      return await doing();
    } catch (error) {
      if (!(error instanceof Refusal) || error.issues.length === 0) throw error;
      const issues = error.issues.map((issue) => ({
        where: this.#lineOf(issue.where.replace(/^body(\.rows)?/, where)),
        what: issue.what,
      }));
      throw new Refusal('configuration-unsound', { problems: issues.length }, issues);
    }
  }

  #wrong = (where: string, what: string) =>
    new Refusal('configuration-unsound', { problems: 1 }, [{ where: this.#lineOf(where), what }]);
}

/** Everything was tried: taken back, with what it came to. */
class TakenBack extends Error {
  constructor(readonly planned: Planned) {
    super('taken back');
  }
}

const PARTS = {
  settings: 'settings',
  networks: 'network',
  groups: 'group',
  applications: 'application',
  methods: 'methods',
  rulebook: 'rulebook',
} as const;

/** The parts that a file speaks of. */
function spokenOf(file: ConfigurationFile): ReadonlySet<ConfigPart> {
  const spoken = (Object.keys(PARTS) as (keyof typeof PARTS)[]).filter((part) => file[part] !== undefined);
  const connections = file.applications?.some((one) => one.connections) ? (['connection'] as const) : [];
  return new Set([...spoken.map((part) => PARTS[part]), ...connections]);
}

async function bringIn(deps: Deps, work: Work, call: Applying, agreed: number | undefined): Promise<Planned> {
  const read = await readConfiguration(deps.heavy, call.body.file);
  const present = await readPresent(work);
  const steps = planConfiguration(thingsOf(present.file), thingsOf(read.file), spokenOf(read.file));
  const bringing = new Bringing(deps, work, call, read, present);
  const told = steps.map((step) => ({ ...step, fields: [...step.fields] }));
  const plans = agreed === undefined;
  try {
    await bringing.bring(steps, agreed);
  } catch (error) {
    if (!plans || !(error instanceof SignatureNeeded)) throw error;
    return { steps: told, lockedOut: bringing.lockedOut, signature: true };
  }
  return { steps: told, lockedOut: bringing.lockedOut, signature: false };
}

function forget(deps: Deps): void {
  deps.settings.forget();
  deps.methods.forget();
  forgetNetworks(deps);
}

export const planFile: Handler<'configuration.plan'> = async (deps, call) => {
  try {
    return await inTransaction(deps, async (work) => {
      throw new TakenBack(await bringIn(deps, work, call, undefined));
    });
  } catch (error) {
    if (!(error instanceof TakenBack)) throw error;
    return { answer: error.planned };
  } finally {
    forget(deps);
  }
};

export const applyFile: Handler<'configuration.apply'> = async (deps, call) => {
  try {
    const reply = await call.run(async (work) => {
      const planned = await bringIn(deps, work, call, call.body.lockedOut);
      const count = (change: ConfigStep['change']) => planned.steps.filter((step) => step.change === change).length;
      const details = { added: count('added'), changed: count('changed'), lockedOut: planned.lockedOut };
      await work.trail(entryOf(call, 'configuration.applied', { kind: 'setting', id: null }, { details }));
      return { answer: planned };
    });
    for (const { connections = [] } of (await readConfiguration(deps.heavy, call.body.file)).file.applications ?? [])
      for (const connection of connections) await makeReady(deps, connection);
    return reply;
  } finally {
    forget(deps);
  }
};

import {
  bindNames,
  compile,
  FIRST_RULEBOOK,
  needsOf,
  readRulebook,
  type Binding,
  type Compiled,
  type Needs,
  type Rulebook,
} from '@nimble-latch/core/rulebook';
import type { Sequelize } from 'sequelize';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { CONSOLE_APPLICATION } from '../../platform/ids.js';
import { rulebookVersions } from './rulebook-version.model.js';

/** A published version, ready for deciding. */
export interface RunningRulebook {
  /** 0 for what is in force before anybody has published. */
  readonly number: number;
  readonly text: string;
  /** As it is written, with names. */
  readonly rulebook: Rulebook;
  readonly binding: Binding;
  /** With ids for names. */
  readonly compiled: Compiled;
  readonly needs: Needs;
  /** The groups that rules name, in an order that follows from the version. */
  readonly ruled: readonly string[];
}

/** The id of a group as rules and facts compare it. */
export const groupKey = (id: string): string => id.replaceAll('-', '');

/** Makes a rulebook ready for deciding. */
export function ready(number: number, text: string, rulebook: Rulebook, binding: Binding): RunningRulebook {
  // Groups are compared by the digits of their ids, as the facts of a person have them.
  const groups = Object.fromEntries(Object.entries(binding.groups).map(([name, id]) => [name, groupKey(id)]));
  return {
    number,
    text,
    rulebook,
    binding,
    compiled: compile(bindNames(rulebook, { ...binding, groups })),
    needs: needsOf(rulebook),
    ruled: [...new Set(Object.values(groups))].sort(),
  };
}

const FIRST = ready(0, FIRST_RULEBOOK, readRulebook(FIRST_RULEBOOK).rulebook!, {
  groups: {},
  people: {},
  networks: {},
  applications: { console: CONSOLE_APPLICATION },
});

/** A version by its number; undefined where there is none. */
export async function readVersion(db: Db, number: number): Promise<RunningRulebook | undefined> {
  if (number === 0) return FIRST;
  const version = await rulebookVersions(db).findByPk(number, within(db));
  return version ? ready(version.number, version.text, version.rules, version.bound) : undefined;
}

/** The number of the version in force. */
export async function latestNumber(db: Db): Promise<number> {
  const latest = await rulebookVersions(db).findOne({
    attributes: ['number'],
    order: [['number', 'DESC']],
    ...within(db),
  });
  return latest?.number ?? 0;
}

/** How old a node's knowledge of the version may be: another node's publishing is followed within this time. */
export const RULEBOOK_AGE_MS = 2_000;

/** The published rulebook as this process runs it, at most some seconds behind. */
export class RulebookCache {
  #running: { value: Promise<RunningRulebook>; at: number } | undefined;
  readonly #settingsPool: Sequelize;

  /** @param settingsPool a pool that no transaction holds connections of */
  constructor(settingsPool: Sequelize) {
    this.#settingsPool = settingsPool;
  }

  /** One reading serves all who ask meanwhile. A version that is known already is not read again. */
  async current(): Promise<RunningRulebook> {
    const known = this.#running;
    if (known && performance.now() - known.at < RULEBOOK_AGE_MS) return await known.value;
    const running = { value: this.#follow(known?.value), at: performance.now() };
    this.#running = running;
    running.value.catch(() => {
      if (this.#running === running) this.#running = undefined;
    });
    return await running.value;
  }

  /** After a version was published here. */
  forget(): void {
    if (this.#running) this.#running = { ...this.#running, at: -Infinity };
  }

  async #follow(before: Promise<RunningRulebook> | undefined): Promise<RunningRulebook> {
    const db = { sequelize: this.#settingsPool };
    const number = await latestNumber(db);
    const known = await before?.catch(() => undefined);
    return known?.number === number ? known : (await readVersion(db, number))!;
  }
}

declare module '../../platform/deps.js' {
  interface Deps {
    readonly rulebook: RulebookCache;
  }
}

import type { Conditions } from './form.js';

/** A set of rules by their places, one bit each. */
export type Mask = Uint32Array;

/** The people of a sign-in, as far as rules name them. */
interface Person {
  readonly names: ReadonlySet<string>;
  readonly groups: ReadonlySet<string>;
  readonly roles: ReadonlySet<string>;
}

const set = (mask: Mask, at: number) => void (mask[at >>> 5]! |= 1 << (at & 31));
/** The words of a mask that are not empty: their places and bits, in turn. Most names stand in a rule or two. */
type Sparse = number[];

function note(sparse: Sparse, at: number): void {
  const word = at >>> 5;
  const last = sparse.length - 2;
  // Rules come in their order, so that their word is the last one or a new one.
  if (last >= 0 && sparse[last] === word) sparse[last + 1]! |= 1 << (at & 31);
  else sparse.push(word, 1 << (at & 31));
}

function addAll(mask: Mask, sparse: Sparse): void {
  for (let i = 0; i < sparse.length; i += 2) mask[sparse[i]!]! |= sparse[i + 1]!;
}

/** Rules that name something, and rules that bar it. */
interface Entry {
  readonly named: Sparse;
  readonly barred: Sparse;
}

/** The rules that name something of one kind, by what they name: one look-up for each thing held. */
class Index {
  readonly #byName = new Map<string, Entry>();

  add(names: readonly string[], how: keyof Entry, at: number): void {
    for (const name of names) {
      let entry = this.#byName.get(name);
      if (!entry) this.#byName.set(name, (entry = { named: [], barred: [] }));
      note(entry[how], at);
    }
  }

  /** Adds the rules that name or bar one of these; goes through whichever are fewer. */
  gather(held: ReadonlySet<string>, named: Mask, barred: Mask): void {
    if (this.#byName.size === 0 || held.size === 0) return;
    if (held.size <= this.#byName.size) {
      for (const name of held) {
        const entry = this.#byName.get(name);
        if (entry === undefined) continue;
        addAll(named, entry.named);
        addAll(barred, entry.barred);
      }
    } else
      for (const [name, entry] of this.#byName) {
        if (!held.has(name)) continue;
        addAll(named, entry.named);
        addAll(barred, entry.barred);
      }
  }
}

const KINDS = ['groups', 'roles', 'people'] as const;

/**
 * Finds the rules that can apply to a person at an application, without asking each of them: most rules of a large
 * rulebook are about somebody else, somewhere else. The work is a look-up for each group of the person.
 */
export class Masks {
  readonly #words: number;
  readonly #kinds: readonly Index[];
  /** Rules that name nobody: they are about everybody who is not barred. */
  readonly #everybody: Mask;
  readonly #conditions: readonly Conditions[];
  readonly #byApplication = new Map<string, Mask>();
  /** Applications that no rule names: all of them get the same. */
  readonly #elsewhere: Mask;
  readonly #found: Mask;
  /** The one asked about last: a rehearsal asks for every application before it goes on to the next person. */
  #last: { readonly person: Person; readonly mask: Mask } | undefined;

  constructor(conditions: readonly Conditions[]) {
    this.#conditions = conditions;
    this.#words = Math.ceil(conditions.length / 32);
    this.#kinds = KINDS.map(() => new Index());
    this.#everybody = new Uint32Array(this.#words);
    this.#found = new Uint32Array(this.#words);
    conditions.forEach((one, at) => {
      KINDS.forEach((kind, i) => {
        const names = one[kind];
        if (names) this.#kinds[i]!.add(names.names, names.not ? 'barred' : 'named', at);
      });
      if (KINDS.every((kind) => one[kind] === undefined || one[kind].not)) set(this.#everybody, at);
    });
    const named = new Set(conditions.flatMap((one) => one.applications?.names ?? []));
    for (const application of named) this.#byApplication.set(application, this.#at(application));
    this.#elsewhere = this.#at(undefined);
  }

  #at(application: string | undefined): Mask {
    const mask = new Uint32Array(this.#words);
    this.#conditions.forEach(({ applications }, at) => {
      const listed = application !== undefined && applications?.names.includes(application);
      if (!applications || listed === !applications.not) set(mask, at);
    });
    return mask;
  }

  #of(person: Person): Mask {
    if (this.#last?.person === person) return this.#last.mask;
    const mask = this.#everybody.slice();
    const barred = new Uint32Array(this.#words);
    this.#kinds[0]!.gather(person.groups, mask, barred);
    this.#kinds[1]!.gather(person.roles, mask, barred);
    this.#kinds[2]!.gather(person.names, mask, barred);
    for (let i = 0; i < this.#words; i++) mask[i]! &= ~barred[i]!;
    this.#last = { person, mask };
    return mask;
  }

  /** The rules that can apply; good until it is asked again. */
  candidates(person: Person, application: string): Mask {
    const who = this.#of(person);
    const where = this.#byApplication.get(application) ?? this.#elsewhere;
    for (let word = 0; word < this.#words; word++) this.#found[word] = who[word]! & where[word]!;
    return this.#found;
  }
}

/** The place of the first rule of a mask at or after another; -1 where there is none. */
export function nextOf(mask: Mask, from: number): number {
  let word = from >>> 5;
  if (word >= mask.length) return -1;
  let bits = mask[word]! & (-1 << (from & 31));
  while (bits === 0) {
    if (++word >= mask.length) return -1;
    bits = mask[word]!;
  }
  return word * 32 + 31 - Math.clz32(bits & -bits);
}

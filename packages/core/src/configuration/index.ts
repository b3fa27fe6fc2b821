import { canonicalJson, type Json } from '../crypto/canonical.js';
import { CONFIG_PARTS, type ConfigChange, type ConfigPart } from '../vocabulary.js';

/** One thing of a configuration, with what is said of it. */
export interface ConfigThing {
  readonly part: ConfigPart;
  /** By what it is known; the same name is the same thing. */
  readonly name: string;
  readonly says: Readonly<Record<string, Json | undefined>>;
}

/** What would be done to one thing. */
export interface ConfigStep {
  readonly part: ConfigPart;
  readonly name: string;
  readonly change: ConfigChange;
  /** What of it is said otherwise. */
  readonly fields: readonly string[];
}

const idOf = ({ part, name }: Pick<ConfigThing, 'part' | 'name'>) => `${part} ${name.toLowerCase()}`;

/**
 * What a file would change. Things are known by their names without regard to case; what the file does not name stays, and
 * is told only for the parts that the file speaks of, since nothing is ever deleted by a file.
 *
 * @param now everything that there is
 * @param wanted what the file says
 * @param spoken the parts that the file has
 */
export function planConfiguration(
  now: readonly ConfigThing[],
  wanted: readonly ConfigThing[],
  spoken: ReadonlySet<ConfigPart>,
): ConfigStep[] {
  const before = new Map(now.map((thing) => [idOf(thing), thing]));
  const named = new Set(wanted.map(idOf));
  const steps = wanted.map((thing): ConfigStep => {
    const { part, name, says } = thing;
    const was = before.get(idOf(thing));
    if (!was) return { part, name, change: 'added', fields: [] };
    const fields = differing(was.says, says);
    const renamed = was.name === name ? [] : ['name'];
    const all = [...renamed, ...fields];
    return { part, name, change: all.length > 0 ? 'changed' : 'same', fields: all };
  });
  const rest = now
    .filter((thing) => spoken.has(thing.part) && !named.has(idOf(thing)))
    .map(({ part, name }): ConfigStep => ({ part, name, change: 'only-here', fields: [] }));
  const order = (step: ConfigStep) => CONFIG_PARTS.indexOf(step.part);
  return [...steps, ...rest].sort((a, b) => order(a) - order(b));
}

/** Fields of which the file says something else; what it leaves out stays. */
function differing(was: ConfigThing['says'], says: ConfigThing['says']): string[] {
  return Object.keys(says).filter(
    (field) => says[field] !== undefined && canonicalJson(says[field]) !== canonicalJson(was[field] ?? null),
  );
}

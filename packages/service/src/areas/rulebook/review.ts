import type { Answer } from '@nimble-latch/api';
import type { Binding, Rulebook } from '@nimble-latch/core/rulebook';
import { assuranceOf, writeWay } from '@nimble-latch/core/assurance';
import type { Method } from '@nimble-latch/core/vocabulary';
import { enrollable } from '@nimble-latch/core/methods';
import type { Db } from '../../platform/db/sql.js';
import type { HeavyWork } from '../../platform/heavy/heavy-work.js';
import { readMethods } from '../methods/cache.js';
import { idleExceptions } from './idle-exceptions.js';
import { neverShown } from './prompt-kinds.js';
import { lookUp } from './look-up-names.js';
import { ready } from './running.js';
import { shownFinding, shownRulebook, type ShownFinding } from './describe-rulebook.js';

/** Outcomes that nobody can meet, since nothing that can be enrolled is enough; another way of the same rule would be. */
function impossible({ rules, otherwise }: Rulebook, possible: readonly Method[]): ShownFinding[] {
  const all = [
    ...rules.flatMap(({ name, then, except }) =>
      [then, ...except.flatMap(({ instead }) => instead ?? [])].map((one) => ({ name, then: one })),
    ),
    { name: null, then: otherwise },
  ];
  return all.flatMap(({ name, then }): ShownFinding[] => {
    if ('ways' in then) {
      const lacking = then.ways.map((way) => way.find(({ method }) => !possible.includes(method))?.method);
      if (lacking.includes(undefined)) return [];
      return then.ways.map((way, i) => ({
        what: 'way-not-possible',
        rule: name,
        facts: { way: writeWay(way), method: lacking[i]! },
      }));
    }
    const best = assuranceOf(possible.map((method) => ({ method, qualifiers: [] })));
    const enough =
      then.kind === 'level' ? best.level >= then.level : then.kind !== 'phishing-resistant' || best.phishingResistant;
    return enough ? [] : [{ what: 'outcome-not-possible', rule: name, facts: { methods: possible.join(', ') } }];
  });
}

/** What was probably not meant is told of so many rules; whoever mends those asks again. */
const MOST_FINDINGS = 500;

/** A text, read and looked up. */
export interface Read {
  readonly problems: Answer<'rulebook.check'>['problems'];
  /** Undefined where there are problems. */
  readonly sound?: { readonly rulebook: Rulebook; readonly binding: Binding; readonly findings: ShownFinding[] };
}

/**
 * Reads a rulebook's text and says what is wrong with it, or what was probably not meant.
 *
 * @param before what names meant in the version that it goes back to
 */
export async function readText(heavy: HeavyWork, db: Db, text: string, before: Binding, now: Date): Promise<Read> {
  const { rulebook, problems } = await heavy.run('readRulebook', text);
  if (!rulebook) return { problems: [...problems] };
  const { binding, known, renamed } = await lookUp(db, rulebook, before);
  const findings: ShownFinding[] = [
    ...(await heavy.run('checkRulebook', rulebook, known, now.getTime())).map((finding) =>
      shownFinding(rulebook, finding),
    ),
    ...renamed.map(({ kind, name, now: called }) => ({
      what: 'name-changed' as const,
      rule: null,
      kind,
      facts: { name, now: called },
    })),
    ...impossible(rulebook, enrollable((await readMethods(db)).settings)),
    ...(await neverShown(db, rulebook, binding)),
    ...(await idleExceptions(db, ready(0, text, rulebook, binding), now)),
  ];
  return { problems: [], sound: { rulebook, binding, findings: findings.slice(0, MOST_FINDINGS) } };
}

/** The same as the contract answers it. */
export const checkedOf = ({ problems, sound }: Read): Answer<'rulebook.check'> => ({
  problems,
  rulebook: sound ? shownRulebook(sound.rulebook) : null,
  findings: sound?.findings ?? [],
});

import { catalogue, say, sayChange, sayEased, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { table } from '../render/table.js';
import { words } from '../words/index.js';
import { rulebookWords } from '../words/rulebook.js';

const shared = catalogue('en');
const w = shared.rulebook;
const h = words.headings;

type Review = Answer<'rulebookDraft.review'>;

/** What was probably not meant. */
export function findingsTable(session: Session, findings: Review['findings']): string {
  if (findings.length === 0) return `\n${rulebookWords.facts.nothingFound}\n`;
  return `\n${table(
    findings,
    [
      { heading: h.rule, cell: (one) => one.rule ?? rulebookWords.facts.whole, flexible: true },
      { heading: h.found, cell: (one) => say(w.findings[one.what], one.facts), flexible: true, wraps: true },
    ],
    session,
  )}`;
}

/** How many of the names are told, and how all of them are read. */
export interface Told {
  readonly most: number;
  readonly all: string;
}
/** Names that are shown without being asked for. */
export const FIRST_NAMES = 12;
const OF_DRAFT: Told = { most: FIRST_NAMES, all: rulebookWords.facts.allOfThem };

/** Whom a change would lock out, by name and place. */
export function lockedOutText(
  session: Session,
  { people, named, examined, of }: Review['lockedOut'],
  told = OF_DRAFT,
): string {
  const all = examined < of ? ` ${say(rulebookWords.facts.examined, { examined, of })}` : '';
  if (people === 0) return `${rulebookWords.facts.locksNobodyOut}${all}\n`;
  return `${say(rulebookWords.facts.locksOut, { people })}${all}\n\n${table(
    named.slice(0, told.most),
    [
      { heading: h.name, cell: (one) => one.displayName, flexible: true },
      { heading: h.nowhereElse, cell: (one) => one.applications.join(', '), flexible: true },
    ],
    session,
  )}${moreOf(people, Math.min(named.length, told.most), told)}`;
}

const moreOf = (people: number, shown: number, { all }: Told): string =>
  people > shown ? `${say(words.facts.andMore, { count: people - shown })} ${all}\n` : '';

/** Who would need less than today, from where, by name. */
export function loosenedText(session: Session, { people, named }: Review['loosened'], told = OF_DRAFT): string {
  if (people === 0) return `${rulebookWords.facts.loosensNobody}\n`;
  return `${say(rulebookWords.facts.loosens, { people })}\n\n${table(
    named.slice(0, told.most),
    [
      { heading: h.name, cell: (one) => one.displayName, flexible: true },
      { heading: h.what, cell: (one) => sayEased(shared, one.eased).join('; '), wraps: true },
    ],
    session,
  )}${moreOf(people, Math.min(named.length, told.most), told)}`;
}

/** What changes, rule by rule, by what it means. */
export function changesText(changes: Review['changes']): string {
  const c = w.changes;
  if (changes.length === 0) return `${c.none}\n`;
  return changes
    .map((one) => {
      const { title, before, after } = sayChange(shared, one);
      const line = (word: string, sentence: string | null) => (sentence === null ? '' : `     ${word}: ${sentence}\n`);
      return `${title}\n${line(c.was, before)}${line(c.now, after)}`;
    })
    .join('');
}

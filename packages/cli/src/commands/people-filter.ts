import {
  COVERAGES,
  METHODS,
  PERSON_STATES,
  SEEN,
  SOURCES,
  type Answer,
  type Coverage,
  type Method,
  type Seen,
  type Source,
} from '@nimble-latch/api';
import { Option, type Command } from 'commander';
import type { Session } from '../context.js';
import { personWords } from '../words/person.js';
import { findGroup } from './support.js';

type Person = Answer<'people.show'>;

export interface FilterOptions {
  keyModel?: string;
  fewKeys?: boolean;
  find?: string;
  group?: string;
  member?: string;
  state?: Person['state'];
  coverage?: Coverage;
  holds?: Method;
  seen?: Seen;
  source?: Source;
}

/** Options that say which people are meant. */
export const filterOptions = (command: Command): Command =>
  command
    .option('--find <beginning>', personWords.options.findPerson)
    .option('--group <group>', personWords.options.group)
    .option('--member <group>', personWords.options.member)
    .addOption(new Option('--state <state>').choices(PERSON_STATES))
    .addOption(new Option('--coverage <coverage>', personWords.options.coverage).choices(COVERAGES))
    .addOption(new Option('--holds <method>', personWords.options.holds).choices(METHODS))
    .option('--key-model <id>', personWords.people.model)
    .option('--few-keys', personWords.people.few)
    .addOption(new Option('--seen <when>', personWords.options.seen).choices(SEEN))
    .addOption(new Option('--source <source>', personWords.options.source).choices(SOURCES));

export async function filterOf(session: Session, options: FilterOptions) {
  const idOf = async (named: string | undefined) => (named ? (await findGroup(session, named)).id : undefined);
  const [group, member] = [await idOf(options.group), await idOf(options.member)];
  const { state, coverage, seen, source, holds: method, find: q, keyModel: model, fewKeys } = options;
  const byKeys = { model, ...(fewKeys ? { fewKeys: 'true' } : {}) };
  return { q, group, member, state, coverage, seen, source, method, ...byKeys };
}

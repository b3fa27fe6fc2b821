import { catalogue, say, sayConsequence, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { differenceText } from '../render/difference.js';
import { facts, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { countersignWords } from '../words/countersign.js';
import { confirm, done, type Noun } from './support.js';
import { byId, changeVerb, listVerb, showVerb, verb, type Paged } from './verbs.js';

type Signature = Answer<'signatures.show'>;
type Listed = Answer<'signatures.list'>['rows'][number];
const h = words.headings;
const f = words.facts;
const shared = catalogue('en');

const nameOf = (one: { readonly id: string; readonly displayName: string | null } | null) =>
  one === null ? f.none : (one.displayName ?? f.erased);

/** What somebody can do about a request now. */
function next(one: Listed): string {
  if (one.maySign) return countersignWords.facts.toSign;
  if (!one.mine) return f.none;
  if (one.state === 'given') return countersignWords.facts.doItAgain;
  if (one.state === 'overtaken') return countersignWords.facts.askAnew;
  return one.ripeAt === null ? f.none : say(countersignWords.facts.aloneFrom, { when: one.ripeAt });
}

/** All that whoever signs agrees to beside the sentence: what was said of it, whom it concerns, what changes. */
function matter(
  session: Session,
  id: string,
  { message, names, listed, unnamed, difference }: Signature['matter'],
): string {
  const named = table(
    names,
    [
      { heading: h.name, cell: (one) => one.displayName, flexible: true },
      { heading: h.nowhereElse, cell: (one) => one.applications.join(', ') || f.none, flexible: true },
    ],
    session,
  );
  return [
    ...(message === null ? [] : [`\n${say(countersignWords.facts.saysOfIt, { message })}\n`]),
    ...(names.length === 0 ? [] : [`\n${named}`]),
    ...(listed > names.length
      ? [`${say(f.andMore, { count: listed - names.length })} ${say(countersignWords.facts.allOfThem, { id })}\n`]
      : []),
    ...(unnamed === 0 ? [] : [`${say(countersignWords.facts.notListed, { count: unnamed })}\n`]),
    ...(difference.length === 0 ? [] : [`\n${differenceText(session, difference)}`]),
  ].join('');
}

function details(session: Session, one: Signature): string {
  return `${facts(
    [
      [h.id, one.id],
      [h.what, sayConsequence(shared, one.consequence)],
      [h.concerning, nameOf(one.person)],
      [h.by, `${nameOf(one.askedBy)}, ${relative(one.askedAt, session.now())}`],
      [h.state, shared.signatureStates[one.state]],
      [h.until, `${exact(one.expiresAt)} (${relative(one.expiresAt, session.now())})`],
      [h.decided, one.decidedBy ? `${nameOf(one.decidedBy)}, ${relative(one.decidedAt, session.now())}` : f.none],
      [h.why, one.reason ?? f.none],
      [h.next, next(one)],
    ],
    session,
  )}${matter(session, one.id, one.matter)}`;
}

const signatureOf = async ({ client }: Session, id = ''): Promise<Signature> =>
  await client.call('signatures.show', { params: { id } });

export const countersign: Noun = (command, context) => {
  const help = countersignWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) => one.option('--ended', countersignWords.options.allSignatures),
    rows: async ({ client }, { ended, limit, cursor }: Paged & { ended?: boolean }) =>
      await client.call('signatures.list', { query: { waiting: ended ? undefined : 'true', limit, cursor } }),
    columns: () => [
      { heading: h.id, cell: (one) => one.id, id: true },
      { heading: h.what, cell: (one) => sayConsequence(shared, one.consequence), wraps: true, flexible: true },
      { heading: h.by, cell: (one) => nameOf(one.askedBy), flexible: true },
      { heading: h.state, cell: (one) => shared.signatureStates[one.state] },
      { heading: h.next, cell: (one) => (one.maySign ? countersignWords.facts.toSign : f.none) },
    ],
  });
  listVerb(at, {
    line: 'people <id>',
    help: help.people,
    limit: 50,
    rows: async ({ client }, query: Paged, id = '') =>
      await client.call('signatures.people', { params: { id }, query }),
    columns: () => [
      { heading: h.name, cell: (one) => one.displayName },
      { heading: h.nowhereElse, cell: (one) => one.applications.join(', ') || f.none, wraps: true },
    ],
  });
  showVerb(at, { line: 'show <id>', help: help.show, find: signatureOf, text: details });
  verb<{ yes?: boolean }>(
    at,
    { line: 'give <id>', help: help.give, options: (one) => one.option('-y, --yes', words.options.yes) },
    async (session, [id = ''], { yes }) => {
      const one = await signatureOf(session, id);
      const agreed = `${sayConsequence(shared, one.consequence)}\n${matter(session, one.id, one.matter)}`;
      if (!(await confirm(session, agreed, yes))) return;
      const given = await session.client.call('signatures.give', { params: { id } });
      done(session, given, say(countersignWords.done.signed, { asker: nameOf(given.askedBy) }));
    },
  );
  changeVerb(at, {
    line: 'refuse <id>',
    help: help.refuse,
    options: (one) => one.requiredOption('--reason <text>', countersignWords.options.reason),
    find: byId,
    change: async ({ client }, id, body: { reason: string }) =>
      await client.call('signatures.refuse', { params: { id }, body }),
    said: () => countersignWords.done.signatureRefused,
  });
  changeVerb(at, {
    line: 'withdraw <id>',
    help: help.withdraw,
    find: byId,
    change: async ({ client }, id) => await client.call('signatures.withdraw', { params: { id } }),
    said: () => countersignWords.done.signatureWithdrawn,
  });
};

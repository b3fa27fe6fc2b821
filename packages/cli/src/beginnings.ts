import { EXIT, say, type Answer } from '@nimble-latch/api';
import { PATHS, type Client } from '@nimble-latch/api/client';
import { Failure } from './failure.js';
import { words } from './words/index.js';

/**
 * Ids by their beginnings: lists print as much of an id as tells it from the others, and whatever takes an id takes that. The service
 * itself takes whole ids alone; what a beginning stands for is found out before anything is called with it.
 */

/** Members of collections that are somebody's, by the path before the id. */
const WHOSE: Readonly<Record<string, Parameters<typeof findOut>[1]>> = {
  '/authenticators': 'authenticator',
  '/passes': 'authenticator',
  '/carriers': 'carrier',
  '/invitations': 'invitation',
  '/disputes': 'dispute',
  '/activity/sign-ins': 'sign-in',
};

type Ids = { readonly rows: readonly { readonly id: string }[]; readonly next?: string | null };

type List = (client: Client, cursor: string | undefined, params: Readonly<Record<string, string>>) => Promise<Ids>;
/** Members of collections that are few: their lists. */
const LISTED: Readonly<Record<string, List>> = {
  '/imports': async (client, cursor) => await client.call('imports.list', { query: { limit: 200, cursor } }),
  '/countersignatures': async (client, cursor) =>
    await client.call('signatures.list', { query: { limit: 200, cursor } }),
  '/bulk-changes': async (client) => await client.call('bulkChanges.list', { query: { limit: 200 } }),
  '/invitation-rounds': async (client, cursor) =>
    await client.call('invitationRounds.list', { query: { limit: 200, cursor } }),
  '/standing-invitations': async (client) => await client.call('standingInvitations.list'),
  '/stock/certificates': async (client) => await client.call('stock.certificates'),
  '/access-tokens': async (client) => await client.call('accessTokens.list'),
  '/people/*/browsers': async (client, _, { id = '' }) => ({
    rows: (await client.call('browsers.list', { params: { id } })).browsers,
  }),
};

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;
export const isId = (text: string): boolean => UUID.test(text);

const BEGINNING = /^[\da-f]{8}[\da-f-]{0,28}$/i;

/** A client that takes beginnings of ids where a path names something. */
export function takingBeginnings(client: Client): Client {
  return {
    async call(route, ...args) {
      const [given, ...rest] = args as [{ params?: Readonly<Record<string, string>> }?];
      if (!given?.params) return await client.call(route, ...args);
      const params = await wholeIds(client, PATHS[route][1], given.params);
      return await client.call(route, ...([{ ...given, params }, ...rest] as unknown as typeof args));
    },
  };
}

async function wholeIds(
  client: Client,
  path: string,
  params: Readonly<Record<string, string>>,
): Promise<Readonly<Record<string, string>>> {
  const whole = { ...params };
  for (const match of path.matchAll(/\{(\w+)\}/g)) {
    const [name, collection] = [match[1]!, path.slice(0, match.index - 1).replace(/\{\w+\}/g, '*')];
    const text = params[name];
    if (text !== undefined) whole[name] = await wholeId(client, collection, text, params);
  }
  return whole;
}

/**
 * The id that begins so in a collection, by its path. What is a whole id, or no beginning, is answered as it is.
 *
 * @throws Failure where nothing begins so, or more than one thing does
 */
export async function wholeId(
  client: Client,
  collection: string,
  text: string,
  params: Readonly<Record<string, string>> = {},
): Promise<string> {
  if (isId(text) || !BEGINNING.test(text)) return text;
  const [whose, listed] = [WHOSE[collection], LISTED[collection]];
  if (!whose && !listed) return text;
  const ids = whose
    ? await findOut(client, whose, text)
    : await among((cursor) => listed!(client, cursor, params), text);
  return only(ids, text);
}

/** The one of some ids that begins so; a text that none begins with is for whoever takes it to refuse. */
export const wholeOf = (rows: readonly { readonly id: string }[], text: string): string => {
  const ids = rows.map(({ id }) => id);
  return BEGINNING.test(text) ? only(beginning(ids, text), text) : text;
};

function only(ids: readonly string[], text: string): string {
  if (ids.length === 0)
    throw new Failure(say(words.errors.nothingBegins, { text }), {
      try: words.errors.nothingBeginsTry,
      exit: EXIT.notFound,
    });
  if (ids.length > 1)
    throw new Failure(say(words.errors.moreBegin, { text }), {
      try: say(words.errors.moreBeginTry, { ids: ids.join(', ') }),
    });
  return ids[0]!;
}

async function findOut(
  client: Client,
  of: 'authenticator' | 'carrier' | 'invitation' | 'dispute' | 'sign-in',
  begins: string,
): Promise<Answer<'ids.find'>['ids']> {
  return (await client.call('ids.find', { query: { of, begins } })).ids;
}

const bare = (id: string): string => id.replaceAll('-', '').toLowerCase();

const beginning = (ids: readonly string[], text: string): string[] =>
  ids.filter((id) => bare(id).startsWith(bare(text))).slice(0, 2);

async function among(list: (cursor: string | undefined) => Promise<Ids>, text: string): Promise<string[]> {
  const found: string[] = [];
  for (let cursor: string | undefined; ;) {
    const page = await list(cursor);
    found.push(
      ...beginning(
        page.rows.map(({ id }) => id),
        text,
      ),
    );
    if (!page.next || found.length > 1) return found.slice(0, 2);
    cursor = page.next;
  }
}

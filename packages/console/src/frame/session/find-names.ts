import { call } from './api.js';

/** So many are suggested at a time. */
const LIMIT = 12;

const query = (typed: string) => ({ ...(typed === '' ? {} : { q: typed }), limit: LIMIT });
const fits = (typed: string) => (name: string) => name.toLowerCase().includes(typed.toLowerCase());

/** Names of what there is, by what is typed of them: for fields that take names. */
export const findNames = {
  groups: async (typed: string) => (await call('groups.list', { query: query(typed) })).rows.map(({ name }) => name),
  applications: async (typed: string) =>
    (await call('applications.list', { query: query(typed) })).rows.map(({ name }) => name),
  networks: async (typed: string) => (await call('networks.list')).rows.map(({ name }) => name).filter(fits(typed)),
  /** By login names, which are what rules and files name people by. */
  people: async (typed: string) =>
    (await call('people.list', { query: query(typed) })).rows.flatMap(({ loginNames }) => loginNames.slice(0, 1)),
} as const;

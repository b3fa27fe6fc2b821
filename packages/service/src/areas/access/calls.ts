import { ROUTE_IDS, ROUTES, type RouteId, type RouteSpec } from '@nimble-latch/api';
import { whyNot, type Concerned, type Rights } from '@nimble-latch/core/access';
import { notFound } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { readConcerned } from './concerned.js';

/** Calls of operators, each as the gate judges it. */
const OPERATORS = ROUTE_IDS.flatMap((id) => {
  const { access, method }: RouteSpec = ROUTES[id];
  return access.kind === 'operator' ? [{ id, ...access, changes: method !== 'GET' }] : [];
});

/** The calls that somebody with these rights comes through with: about everybody, or about whomever they reach. */
export const callsOf = (rights: Rights): RouteId[] =>
  OPERATORS.filter(
    ({ permission, about, changes }) =>
      whyNot(rights, permission, typeof about === 'string' ? about : 'within', changes) === undefined,
  ).map(({ id }) => id);

/** The same where what is about one person is about this one. */
export const callsAbout = (rights: Rights, person: Concerned): RouteId[] =>
  OPERATORS.filter(
    ({ permission, about, changes }) =>
      whyNot(rights, permission, typeof about === 'string' ? about : person, changes) === undefined,
  ).map(({ id }) => id);

export const showCalls: Handler<'people.calls'> = async (deps, { actor, params }) => {
  const person = await readConcerned(deps, idBytes(params.id));
  if (!person) throw notFound();
  return { answer: { calls: callsAbout(actor.rights, person) } };
};

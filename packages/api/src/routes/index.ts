import type { z } from 'zod';
import type { RouteSpec } from '../contract.js';
import type { RouteId } from '../paths.js';
import { accessRoutes } from './access.js';
import { applicationRoutes } from './applications.js';
import { configurationRoutes } from './configuration.js';
import { figureRoutes } from './figures.js';
import { importRoutes } from './imports.js';
import { insightRoutes } from './insight.js';
import { keyModelRoutes } from './models.js';
import { keyringRoutes } from './keyring.js';
import { methodRoutes } from './methods.js';
import { networkRoutes } from './networks.js';
import { noticeRoutes } from './notices.js';
import { ownRoutes } from './own.js';
import { invitationRoutes } from './invitations.js';
import { passRoutes } from './passes.js';
import { pageRoutes } from './pages.js';
import { peopleRoutes } from './people.js';
import { relyingPartyRoutes } from './relying-party.js';
import { rulebookRoutes } from './rulebook.js';
import { pushRoutes } from './push.js';
import { roleRoutes } from './roles.js';
import { stockRoutes } from './stock.js';
import { signInRoutes } from './signins.js';

/** Every call of the HTTP interface. The service, the client, the documentation and the tests read this table. */
export const ROUTES = {
  ...accessRoutes,
  ...roleRoutes,
  ...networkRoutes,
  ...methodRoutes,
  ...relyingPartyRoutes,
  ...keyModelRoutes,
  ...configurationRoutes,
  ...figureRoutes,
  ...rulebookRoutes,
  ...peopleRoutes,
  ...importRoutes,
  ...keyringRoutes,
  ...invitationRoutes,
  ...passRoutes,
  ...stockRoutes,
  ...applicationRoutes,
  ...signInRoutes,
  ...pageRoutes,
  ...ownRoutes,
  ...noticeRoutes,
  ...pushRoutes,
  ...insightRoutes,
} satisfies Record<RouteId, RouteSpec>;

export type Routes = typeof ROUTES;

type Part<R, K extends 'params' | 'query' | 'body'> = R extends Readonly<Record<K, z.ZodType>> ? R[K] : undefined;

/** What a handler gets: parsed. */
export type Parsed<R extends RouteId, K extends 'params' | 'query' | 'body'> =
  Part<Routes[R], K> extends z.ZodType ? z.output<Part<Routes[R], K>> : undefined;

/** What a caller sends: before defaults are filled in. */
export type Sent<R extends RouteId, K extends 'params' | 'query' | 'body'> =
  Part<Routes[R], K> extends z.ZodType ? z.input<Part<Routes[R], K>> : undefined;

export type Answer<R extends RouteId> = z.output<Routes[R]['answer']>;

import type { FastifyInstance } from 'fastify';
import type { Deps } from '../../platform/deps.js';
import { relatedOf } from './cache.js';

/**
 * The related origins document, WebAuthn Level 3 §5.11: which pages outside of our domain may use its keys. Browsers fetch it without
 * cookies, from the domain that the keys are made for.
 */
export function registerRelatedOrigins(app: FastifyInstance, deps: Deps): void {
  app.get('/.well-known/webauthn', { config: { data: true, anyOrigin: true } }, async (_request, reply) => {
    const party = await deps.party.current();
    return reply.header('cache-control', 'public, max-age=300').send({ origins: relatedOf(party) });
  });
}

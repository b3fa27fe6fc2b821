import { LIMITS, type Answer } from '@nimble-latch/api';
import { foresee } from '@nimble-latch/core/signin';
import type { Method, PersonState } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../db/sql.js';
import { notFound } from '../errors.js';
import type { Handler } from '../http/call.js';
import { CONSOLE_APPLICATION, key, text } from '../ids.js';
import { currentHolding } from './subject.js';

type Row = Answer<'people.meets'>['rows'][number];

/** What a person would meet at each application now, if they proved everything right. */
export const meets: Handler<'people.meets'> = async (deps, { params }) => {
  const id = key(params.id);
  const person = await selectOne<{ state: PersonState; roles: number }>(
    deps,
    'SELECT state, (SELECT COUNT(*) FROM role_grants r WHERE r.person_id = p.id) AS roles FROM persons p WHERE id = :id',
    { id },
  );
  if (!person) throw notFound();
  const [applications, held, holding] = await Promise.all([
    select<{ id: Buffer; name: string; vouches: number }>(
      deps,
      `SELECT a.id, a.name, EXISTS (SELECT 1 FROM connections c WHERE c.application_id = a.id AND FIND_IN_SET('password-checked', REPLACE(c.claims, ' ', ','))) AS vouches
       FROM applications a ORDER BY a.built_in DESC, a.name LIMIT ${LIMITS.pageRowsMost}`,
    ),
    select<{ id: Buffer; method: Method; label: string }>(
      deps,
      "SELECT id, method, label FROM authenticators WHERE person_id = :id AND state = 'active' ORDER BY id",
      { id },
    ),
    currentHolding(deps, params.id),
  ]);
  const hasPassword = held.some(({ method }) => method === 'password');
  const serving = held.filter(({ method }) => holding.factors.includes(method));
  const rows = applications.flatMap((application): Row[] => {
    const console = text(application.id) === CONSOLE_APPLICATION;
    // The console is for people with a role.
    if (console && Number(person.roles) === 0) return [];
    const vouches = Number(application.vouches) === 1;
    // Where the application may vouch for the password, somebody without one can still be asked for the rest.
    const foreseen =
      person.state === 'active'
        ? foresee(console ? 'if-held' : 'required', holding, hasPassword, vouches && !hasPassword)
        : { state: 'refused' as const, asks: [], reason: 'person-deactivated' as const };
    return [
      {
        application: { id: text(application.id), name: application.name },
        outcome: foreseen.state,
        asks: [...foreseen.asks],
        vouches,
        reason: foreseen.reason,
        serves: foreseen.asks.includes('code')
          ? serving.map((one) => ({ id: text(one.id), method: one.method, label: one.label }))
          : [],
      },
    ];
  });
  return { answer: { rows } };
};

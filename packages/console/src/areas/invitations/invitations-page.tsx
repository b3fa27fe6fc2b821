import { INVITATION_STATES, LIMITS } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Banner, Filters, Page, Row, Small, Soft, Spread } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { InvitationTable } from './invitation-table.js';
import { InviteDialog } from './invite-dialog.js';
import { anything, Unheeded } from '../../frame/components/unheeded.js';
import { invitationsWords } from './messages/index.js';
import { Rounds } from './rounds.js';
import { Standing } from './standing.js';

const w = invitationsWords.invitations;
/** Rows at first; more come when asked for, as many as one page may hold. */
const SHOWN = 25;
const FILTERS = ['open', 'stuck', ...INVITATION_STATES] as const;

/** Who is invited and how far they are; to whom invitations went; who is invited by itself. */
export function InvitationsPage() {
  const may = useMayCall()('invitationRounds.list');
  const [query, setQuery] = useSearchParams();
  const all = query.get('state') === 'all';
  // What may still be used is what somebody looks for, unless they ask for the rest.
  const asked = FILTERS.find((one) => one === query.get('state'));
  const round = query.get('sending') ?? undefined;
  const state = asked ?? (all || round !== undefined ? undefined : 'open');
  const [shown, setShown] = useState(SHOWN);
  const set = (name: string, value: string | undefined) => {
    const next = new URLSearchParams(query);
    if (value === undefined || (value === '' && name !== 'invite')) next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  const list = useRead('invitations.list', { query: { limit: shown, state, round } });
  const nameOf = (one: (typeof FILTERS)[number]) =>
    one === 'open' ? w.open : one === 'stuck' ? w.stuck : shared.invitationStates[one];
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        {may && (
          <Button look="main" calls="invitationRounds.begin" onPress={() => set('invite', '')}>
            {w.invite}
          </Button>
        )}
      </Spread>
      <p>
        <Soft>{w.hint}</Soft>
      </p>
      <Figures round={round} nameOf={nameOf} />
      <Unheeded heeded={{ state: ['all', ...FILTERS], sending: anything, invite: anything }} />
      <Filters role="search">
        <Select
          label={w.state}
          value={state ?? 'all'}
          onChange={(id) => set('state', id)}
          options={[{ id: 'all', text: w.any }, ...FILTERS.map((id) => ({ id, text: nameOf(id) }))]}
        />
      </Filters>
      {list.error && <Banner $tone="danger">{troubleOf(list.error)?.text}</Banner>}
      {list.data?.rows.length === 0 && <p>{asked || round || all ? w.noneSo : w.none}</p>}
      {list.data && list.data.rows.length > 0 && <InvitationTable label={w.title} rows={list.data.rows} />}
      {list.data?.next && shown < LIMITS.pageRowsMost && (
        <Row>
          <Button onPress={() => setShown(LIMITS.pageRowsMost)}>{w.showMore}</Button>
        </Row>
      )}
      {list.data?.next && shown >= LIMITS.pageRowsMost && (
        <Small>{say(w.more, { count: list.data.rows.length })}</Small>
      )}
      {may && <Rounds />}
      {may && <Standing />}
      {query.has('invite') && <InviteDialog onClose={() => set('invite', undefined)} />}
    </Page>
  );
}

/** Each number leads to the names behind it. */
function Figures({ round, nameOf }: { round: string | undefined; nameOf: (one: (typeof FILTERS)[number]) => string }) {
  const { data } = useRead('invitations.figures', { query: { round } });
  if (!data) return null;
  const at = (state: string) => `/invitations?state=${state}${round === undefined ? '' : `&sending=${round}`}`;
  const shown = [
    ...INVITATION_STATES.map((state) => [state, data.states[state] ?? 0] as const),
    ['stuck', data.stuck] as const,
  ].filter(([, people]) => people > 0);
  if (shown.length === 0) return null;
  return (
    <Row as="nav" aria-label={w.figures}>
      {shown.map(([state, people]) => (
        <Link key={state} to={at(state)}>
          {say(w.outcome, { people, outcome: nameOf(state) })}
        </Link>
      ))}
    </Row>
  );
}

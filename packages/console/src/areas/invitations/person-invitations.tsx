import type { Answer } from '@nimble-latch/api';
import { useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Section, Spread } from '../../frame/components/layout.js';
import { useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { InvitationTable } from './invitation-table.js';
import { InviteDialog } from './invite-dialog.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;

/** The latest invitation of one person, and the way to invite them. */
export function PersonInvitations({ person }: { person: Answer<'people.show'> }) {
  const may = useMayCall()('invitations.remind');
  const [query, setQuery] = useSearchParams();
  const { data } = useRead('invitations.list', { query: { person: person.id, limit: 1 } });
  const setInviting = (on: boolean) => setQuery(on ? { invite: '' } : {}, { replace: true });
  const invites = may && person.state === 'active' && !person.emergency;
  const rows = data?.rows ?? [];
  if (!invites && rows.length === 0) return null;
  return (
    <Section aria-labelledby="invitations">
      <Spread>
        <h2 id="invitations">{w.ofPerson}</h2>
        {invites && (
          <Button calls="invitations.remind" onPress={() => setInviting(true)}>
            {w.inviteOne}
          </Button>
        )}
      </Spread>
      {rows.length === 0 ? <p>{w.noneOfPerson}</p> : <InvitationTable label={w.ofPerson} rows={rows} ofOne />}
      {query.has('invite') && <InviteDialog who={{ ids: [person.id] }} onClose={() => setInviting(false)} />}
    </Section>
  );
}

import {
  INVITABLE_METHODS,
  INVITATION_CHANNELS,
  INVITING_OUTCOMES,
  type Answer,
  type InvitableMethod,
  type InvitationChannel,
  type Sent,
} from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Small, Soft } from '../../frame/components/layout.js';
import { PagedTable } from '../../frame/components/paged-table.js';
import { TextField } from '../../frame/components/text-fields.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { space } from '../../frame/theme/tokens.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;
export type Who = Sent<'invitationRounds.begin', 'body'>['who'];
type Preview = Answer<'invitationRounds.preview'>;

const List = styled.ul`
  list-style: none;
  display: grid;
  gap: ${space.tight};
  font-variant-numeric: tabular-nums;
`;

/** Methods, to be ticked; at least one. */
export function MethodChoice({
  value,
  onChange,
}: {
  value: readonly InvitableMethod[];
  onChange: (value: InvitableMethod[]) => void;
}) {
  return (
    <CheckboxGroup
      label={w.methods}
      options={INVITABLE_METHODS.map((id) => ({ id, text: shared.methods[id] }))}
      value={value}
      onChange={onChange}
    />
  );
}

/** What would come of it, in numbers and reasons. */
export function Outcomes({ outcomes }: { outcomes: Preview['outcomes'] }) {
  return (
    <div role="status">
      <List>
        {INVITING_OUTCOMES.filter((outcome) => outcomes[outcome]).map((outcome) => (
          <li key={outcome}>
            {say(w.outcome, { people: outcomes[outcome]!, outcome: shared.invitingOutcomes[outcome] })}
          </li>
        ))}
      </List>
    </div>
  );
}

/** Everybody who was meant and is not invited, by name, where somebody wants to see them. */
function PassedOver({ body }: { body: Sent<'invitationRounds.preview', 'body'> }) {
  const [wanted, setWanted] = useState(false);
  if (!wanted)
    return (
      <Button look="quiet" onPress={() => setWanted(true)}>
        {w.passedOverNames}
      </Button>
    );
  return (
    <PagedTable
      queryKey={['invitationRounds', 'invitationRounds.passedOver', body]}
      read={(query) => call('invitationRounds.passedOver', { body, query })}
      label={w.notInvited}
      keyOf={(one) => one.id}
      columns={[
        { heading: w.notInvited, cell: (one) => <Link to={`/people/${one.id}`}>{one.displayName}</Link> },
        { heading: w.why, cell: (one) => shared.invitingOutcomes[one.outcome] },
      ]}
    />
  );
}

/**
 * Invites people: whom it would come to, and whom not and why, stands below what is chosen before anything is sent.
 *
 * @param props.who those who were chosen elsewhere; a group is chosen here where nobody was
 */
export function InviteDialog({ who: given, onClose }: { who?: Who; onClose: () => void }) {
  const [group, setGroup] = useState('');
  const [methods, setMethods] = useState<InvitableMethod[]>(['totp', 'webauthn']);
  const [via, setVia] = useState<InvitationChannel>('mail');
  const [days, setDays] = useState('');
  const groups = useRead('groups.list', { query: { limit: 200 } });
  const who: Who = given ?? {
    filter: {
      state: 'active',
      ...(group === '' ? {} : { group }),
    },
  };
  const body = { who, methods, via };
  const preview = useQuery({
    queryKey: ['invitationRounds', 'invitationRounds.preview', JSON.stringify(body)],
    queryFn: async () => await call('invitationRounds.preview', { body }),
    enabled: methods.length > 0,
  });
  const people = preview.data?.outcomes.invited ?? 0;
  const act = useAct<undefined, Answer<'invitationRounds.begin'>>(
    () =>
      call('invitationRounds.begin', {
        body: { ...body, ...(days === '' ? {} : { days: Number(days) }), expect: preview.data?.people ?? 0 },
        idempotencyKey: crypto.randomUUID(),
      }),
    () => {
      toast(say(w.begun, { people }));
      onClose();
    },
  );
  const title = given && preview.data ? say(w.inviteTitle, { people: preview.data.people }) : w.inviteSome;
  return (
    <FormDialog title={title} act={act} onClose={onClose} finish={say(w.send, { people })}>
      {!given && (
        <Select
          label={w.whom}
          value={group}
          onChange={setGroup}
          options={[
            { id: '', text: w.everybody },
            ...(groups.data?.rows ?? []).map(({ id, name }) => ({ id, text: name })),
          ]}
        />
      )}
      <MethodChoice value={methods} onChange={setMethods} />
      <Select
        label={w.via}
        value={via}
        onChange={(id) => setVia(id as typeof via)}
        options={INVITATION_CHANNELS.map((id) => ({ id, text: w[id] }))}
      />
      <TextField
        label={w.days}
        inputMode="numeric"
        value={days}
        onChange={(typed) => setDays(typed.replace(/\D/g, ''))}
        placeholder={String(preview.data?.days ?? '')}
        problem={act.trouble?.fields['days']}
      />
      {preview.error ? <Banner $tone="danger">{troubleOf(preview.error)?.text}</Banner> : null}
      {preview.isFetching && <Soft role="status">{w.counting}</Soft>}
      {preview.data && !preview.isFetching && (
        <>
          {people === 0 && <Small>{w.nobody}</Small>}
          <Outcomes outcomes={preview.data.outcomes} />
          {people < preview.data.people && <PassedOver key={JSON.stringify(body)} body={body} />}
          {preview.data.withoutProof > 0 && (
            <Banner>{say(w.withoutProof, { people: preview.data.withoutProof })}</Banner>
          )}
          {preview.data.countersigned > 0 && (
            <Banner>{say(w.countersigned, { people: preview.data.countersigned })}</Banner>
          )}
        </>
      )}
    </FormDialog>
  );
}

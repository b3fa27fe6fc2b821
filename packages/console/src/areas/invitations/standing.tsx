import type { Answer, InvitableMethod } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Checkbox, Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Section, Small, Soft, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { MethodChoice, Outcomes } from './invite-dialog.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;
type Row = Answer<'standingInvitations.list'>['rows'][number];
const groupOf = ({ group }: Row): string => group?.name ?? w.standingAll;

/** Who is invited by itself, so that nobody who is new is forgotten. */
export function Standing() {
  const { data } = useRead('standingInvitations.list');
  const [beginning, setBeginning] = useState(false);
  const [ending, setEnding] = useState<Row>();
  if (!data) return null;
  return (
    <Section aria-labelledby="standing">
      <Spread>
        <h2 id="standing">{w.standing}</h2>
        <Button calls="standingInvitations.begin" onPress={() => setBeginning(true)}>
          {w.standingBegin}
        </Button>
      </Spread>
      <p>
        <Soft>{w.standingHint}</Soft>
      </p>
      {data.rows.length === 0 ? (
        <p>{w.standingNone}</p>
      ) : (
        <Table
          label={w.standing}
          rows={data.rows}
          keyOf={(row) => row.id}
          columns={[
            { heading: w.standingGroup, cell: groupOf },
            { heading: w.for, cell: (row) => row.methods.map((method) => shared.methods[method]).join(', ') },
            {
              heading: w.invited,
              cell: (row) => (
                <>
                  {row.invited}
                  {row.passedOver > 0 && <Small>{say(w.passedOver, { people: row.passedOver })}</Small>}
                  {row.waiting > 0 && <Small>{say(w.waiting, { people: row.waiting })}</Small>}
                </>
              ),
            },
            { heading: w.since, cell: (row) => <Time at={row.begunAt} /> },
            {
              heading: w.change,
              cell: (row) => (
                <Button
                  look="quiet"
                  about={groupOf(row)}
                  calls="standingInvitations.end"
                  onPress={() => setEnding(row)}
                >
                  {w.standingEnd}
                </Button>
              ),
            },
          ]}
        />
      )}
      {beginning && <Begin onClose={() => setBeginning(false)} />}
      {ending && <End row={ending} onClose={() => setEnding(undefined)} />}
    </Section>
  );
}

function Begin({ onClose }: { onClose: () => void }) {
  const [group, setGroup] = useState('');
  const [methods, setMethods] = useState<InvitableMethod[]>(['totp', 'webauthn']);
  const [present, setPresent] = useState(false);
  const groups = useRead('groups.list', { query: { limit: 200 } });
  const name = groups.data?.rows.find(({ id }) => id === group)?.name ?? w.standingAll;
  const body = { group: group === '' ? null : group, methods };
  const meant = useQuery({
    queryKey: ['standingInvitations', 'standingInvitations.preview', JSON.stringify(body)],
    queryFn: async () => await call('standingInvitations.preview', { body }),
    enabled: methods.length > 0,
  });
  const act = useAct<undefined, Row>(
    () => call('standingInvitations.begin', { body: { ...body, present } }),
    () => {
      onClose();
      toast(say(w.standingDone, { group: name }));
    },
  );
  return (
    <FormDialog title={w.standingTitle} act={act} onClose={onClose} finish={w.standingAct}>
      <Select
        label={w.standingGroup}
        value={group}
        onChange={setGroup}
        options={[
          { id: '', text: w.standingAll },
          ...(groups.data?.rows ?? []).map(({ id, name: text }) => ({ id, text })),
        ]}
      />
      <MethodChoice value={methods} onChange={setMethods} />
      <Checkbox isSelected={present} onChange={setPresent}>
        {w.standingPresent}
      </Checkbox>
      {meant.data && (
        <>
          <p>{say(w.standingMeant, { people: meant.data.people, invited: meant.data.outcomes.invited ?? 0 })}</p>
          <Outcomes outcomes={meant.data.outcomes} />
        </>
      )}
    </FormDialog>
  );
}

function End({ row, onClose }: { row: Row; onClose: () => void }) {
  const act = useAct<undefined, null>(
    () => call('standingInvitations.end', { params: { id: row.id } }),
    () => {
      onClose();
      toast(w.standingEnded);
    },
  );
  return (
    <FormDialog
      title={say(w.standingEndTitle, { group: groupOf(row) })}
      act={act}
      onClose={onClose}
      finish={w.standingEnd}
      danger
    >
      <p>{w.standingEndText}</p>
    </FormDialog>
  );
}

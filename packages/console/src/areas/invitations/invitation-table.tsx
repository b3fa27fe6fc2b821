import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Row, Small, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { call, troubleOf, useAct } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;
export type Invitation = Answer<'invitations.list'>['rows'][number];
const TONES = {
  queued: 'open',
  sent: 'open',
  bounced: 'ended',
  opened: 'open',
  begun: 'open',
  done: 'good',
  overdue: 'held',
  withdrawn: 'ended',
} as const;

const since = (one: Invitation): string =>
  one.doneAt ?? one.withdrawnAt ?? one.begunAt ?? one.openedAt ?? one.bouncedAt ?? one.sentAt ?? one.createdAt;

const methodsOf = ({ methods }: Invitation): string => methods.map((method) => shared.methods[method]).join(', ');

/** Invitations, each with what may be done about it. @param props.ofOne all of them are of one person, who need not be named */
export function InvitationTable({
  rows,
  label,
  ofOne = false,
}: {
  rows: readonly Invitation[];
  label: string;
  ofOne?: boolean;
}) {
  const may = useMayCall()('invitations.remind');
  const [asking, setAsking] = useState<{ what: 'anew' | 'withdraw'; one: Invitation }>();
  const remind = useAct<Invitation, Invitation>(
    ({ id }) => call('invitations.remind', { params: { id } }),
    ({ person }) => toast(say(w.remindedDone, { name: person.displayName })),
  );
  const change = {
    heading: w.change,
    cell: (one: Invitation) =>
      one.state === 'done' || one.state === 'withdrawn' ? null : (
        <Row>
          {one.via === 'mail' && one.state !== 'overdue' && (
            <Button
              look="quiet"
              about={one.person.displayName}
              isPending={remind.isPending}
              calls="invitations.remind"
              onPress={() => remind.mutate(one)}
            >
              {w.remind}
            </Button>
          )}
          <Button
            look="quiet"
            about={one.person.displayName}
            calls="invitations.sendAnew"
            onPress={() => setAsking({ what: 'anew', one })}
          >
            {w.anew}
          </Button>
          <Button
            look="quiet"
            about={one.person.displayName}
            calls="invitations.withdraw"
            onPress={() => setAsking({ what: 'withdraw', one })}
          >
            {w.withdraw}
          </Button>
        </Row>
      ),
  };
  return (
    <>
      {remind.trouble && <Small role="alert">{troubleOf(remind.error)?.text}</Small>}
      <Table
        label={label}
        rows={rows}
        keyOf={(row) => row.id}
        columns={[
          ...(ofOne
            ? []
            : [
                {
                  heading: w.whose,
                  cell: (row: Invitation) => (
                    <>
                      <Link to={`/people/${row.person.id}`}>{row.person.displayName}</Link>
                      <Small>{methodsOf(row)}</Small>
                    </>
                  ),
                },
              ]),
          {
            heading: w.state,
            cell: (row) => (
              <>
                <State tone={TONES[row.state]}>{shared.invitationStates[row.state]}</State>
                {(row.via !== 'mail' || row.sentAnew > 0) && (
                  <Small>
                    {[
                      ...(row.via === 'mail' ? [] : [shared.invitationChannels[row.via]]),
                      ...(row.sentAnew > 0 ? [w.sentAnew] : []),
                    ].join(', ')}
                  </Small>
                )}
              </>
            ),
          },
          ...(ofOne ? [{ heading: w.for, cell: methodsOf }] : []),
          { heading: w.since, cell: (row) => <Time at={since(row)} /> },
          { heading: w.until, cell: (row) => <Time at={row.validUntil} /> },
          {
            heading: w.reminded,
            cell: (row) => (row.reminders === 0 ? w.notYet : say(w.times, { times: row.reminders })),
          },
          ...(may ? [change] : []),
        ]}
      />
      {asking && <Asking {...asking} onClose={() => setAsking(undefined)} />}
    </>
  );
}

function Asking({ what, one, onClose }: { what: 'anew' | 'withdraw'; one: Invitation; onClose: () => void }) {
  const facts = { name: one.person.displayName };
  const act = useAct<undefined, Invitation>(
    () => call(what === 'anew' ? 'invitations.sendAnew' : 'invitations.withdraw', { params: { id: one.id } }),
    () => {
      onClose();
      toast(say(what === 'anew' ? w.anewDone : w.withdrawnDone, facts));
    },
  );
  return (
    <FormDialog
      title={say(what === 'anew' ? w.anewTitle : w.withdrawTitle, facts)}
      act={act}
      onClose={onClose}
      finish={what === 'anew' ? w.anew : w.withdraw}
      danger={what === 'withdraw'}
    >
      <p>{say(what === 'anew' ? w.anewText : w.withdrawText, facts)}</p>
    </FormDialog>
  );
}

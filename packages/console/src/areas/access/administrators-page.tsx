import { LIMITABLE_ROLES, ROLES, type Answer, type Role } from '@nimble-latch/api';
import { useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Page, Section, Soft } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { accessWords } from './messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall, useSession } from '../../frame/session/context.js';
import { Signatures } from './signatures.js';

const w = accessWords.administrators;
type Table_ = Answer<'roles.table'>;
type Holder = Table_['holders'][number];

export function AdministratorsPage() {
  const may = useMayCall();
  return (
    <Page>
      <h1>{w.title}</h1>
      <Signatures />
      {may('roles.table') && <Roles />}
    </Page>
  );
}

function Roles() {
  const { data, error } = useRead('roles.table');
  const [taking, setTaking] = useState<Holder>();
  const may = useMayCall();
  const own = useSession().person.id;
  if (error) return <Banner $tone="danger">{troubleOf(error)?.text}</Banner>;
  if (!data) return null;
  return (
    <>
      <Section aria-labelledby="holders">
        <h2 id="holders">{w.holders}</h2>
        <p>
          <Soft>{w.holdersHint}</Soft>
        </p>
        <Table
          label={w.holders}
          rows={data.holders}
          keyOf={(one) => `${one.person.id} ${one.role}`}
          columns={[
            { heading: w.who, cell: (one) => <Link to={`/people/${one.person.id}`}>{one.person.displayName}</Link> },
            { heading: w.role, cell: (one) => shared.roles[one.role] },
            {
              heading: w.reaches,
              cell: (one) =>
                one.groups === null ? w.everybody : one.groups.map((group) => group.name).join(', ') || w.nobody,
            },
            { heading: w.since, cell: (one) => <Time at={one.grantedAt} /> },
            { heading: w.by, cell: (one) => one.grantedBy?.displayName ?? '' },
            ...(may('roles.revoke')
              ? [
                  {
                    heading: w.take,
                    // Nobody changes their own.
                    cell: (one: Holder) =>
                      one.person.id === own ? null : (
                        <Button
                          look="quiet"
                          about={`${shared.roles[one.role]}, ${one.person.displayName}`}
                          calls="roles.revoke"
                          onPress={() => setTaking(one)}
                        >
                          {w.take}
                        </Button>
                      ),
                  },
                ]
              : []),
          ]}
        />
      </Section>
      <Section aria-labelledby="emergency">
        <h2 id="emergency">{w.emergency}</h2>
        <p>
          <Soft>{w.emergencyHint}</Soft>
        </p>
        {data.emergency.length === 0 ? (
          <p>{w.noEmergency}</p>
        ) : (
          <Table
            label={w.emergency}
            rows={data.emergency}
            keyOf={(one) => one.id}
            columns={[
              { heading: w.who, cell: (one) => <Link to={`/people/${one.id}`}>{one.displayName}</Link> },
              { heading: peopleWords.people.lastSeen, cell: (one) => <Time at={one.lastSeenAt} /> },
            ]}
          />
        )}
      </Section>
      <RoleTable roles={data.roles} />
      {taking && <TakeRole holder={taking} onClose={() => setTaking(undefined)} />}
    </>
  );
}

/** What each role may do, action by action. */
function RoleTable({ roles }: { roles: Table_['roles'] }) {
  const permissions = roles.find((one) => one.role === 'owner')?.permissions ?? [];
  const mark = (role: Role, permission: (typeof permissions)[number]) => {
    const one = roles.find((other) => other.role === role)!;
    if (!one.permissions.includes(permission)) return '';
    return one.withinGroups && !one.withinGroups.includes(permission) ? w.unlimitedOnly : w.yes;
  };
  return (
    <Section aria-labelledby="roles">
      <h2 id="roles">{w.mayWhat}</h2>
      <p>
        <Soft>{say(w.mayWhatHint, { limitable: LIMITABLE_ROLES.map((role) => shared.roles[role]).join(', ') })}</Soft>
      </p>
      <Table
        label={w.mayWhat}
        rows={permissions}
        keyOf={(permission) => permission}
        columns={[
          { heading: w.action, cell: (permission) => shared.permissions[permission] },
          ...ROLES.map((role) => ({
            heading: shared.roles[role],
            cell: (permission: (typeof permissions)[number]) => mark(role, permission),
          })),
        ]}
      />
    </Section>
  );
}

function TakeRole({ holder: { person, role }, onClose }: { holder: Holder; onClose: () => void }) {
  const facts = { role: shared.roles[role], name: person.displayName };
  const act = useAct<undefined, unknown>(
    () => call('roles.revoke', { params: { id: person.id, role } }),
    () => {
      onClose();
      toast(say(w.taken, facts));
    },
  );
  return (
    <FormDialog title={say(w.takeTitle, facts)} act={act} onClose={onClose} finish={w.take} danger>
      <p>{say(w.takeText, facts)}</p>
    </FormDialog>
  );
}

import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Checkbox, Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Facts, Page, Row, Section, Soft, Spread, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { toast, toastEnded } from '../../frame/components/toasts.js';
import { ActivityTable } from '../signins/activity-table.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { accessWords } from '../access/messages/index.js';
import { peopleWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMay } from '../../frame/session/context.js';
import { Browsers } from '../browsers/browsers.js';
import { Keyring } from '../keyring/keyring.js';
import { Offered } from '../keyring/offered.js';
import { PersonInvitations } from '../invitations/person-invitations.js';
import { PersonPasses } from '../passes/person-passes.js';
import { Meets } from '../signins/meets.js';
import { OwnTrail } from '../insight/own-trail.js';
import { GiveRole, MarkEmergency } from '../access/role-dialog.js';

type Person = Answer<'people.show'>;
const w = peopleWords.people;

export function PersonPage() {
  const { id = '' } = useParams();
  const { data: person, error } = useRead('people.show', { params: { id } });
  const signIns = useRead('activity.list', { query: { person: id, limit: 5 } });
  const [open, setOpen] = useState<
    'edit' | 'password' | 'login' | 'group' | 'deactivate' | 'delete' | 'role' | 'emergency'
  >();
  const may = useMay();
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!person) return <Page aria-busy="true">{words.loading}</Page>;
  const close = () => setOpen(undefined);
  const name = person.displayName;
  return (
    <Page>
      <Spread>
        <Row>
          <h1>{name}</h1>
          <State tone={person.state === 'active' ? 'good' : 'ended'}>{w[person.state]}</State>
          {person.roles.map((role) => (
            <State key={role} tone="held">
              {shared.roles[role]}
            </State>
          ))}
          {person.emergency && <State tone="held">{accessWords.administrators.emergencyOne}</State>}
        </Row>
        <Row>
          {may('person.write') && <Button onPress={() => setOpen('edit')}>{w.edit}</Button>}
          {may('password.set') && <Button onPress={() => setOpen('password')}>{w.setPassword}</Button>}
          {may('role.write') && (
            <>
              <Button onPress={() => setOpen('role')}>{accessWords.administrators.give}</Button>
              <Button onPress={() => setOpen('emergency')}>
                {person.emergency
                  ? accessWords.administrators.unmarkEmergency
                  : accessWords.administrators.markEmergency}
              </Button>
            </>
          )}
          {may('person.write') &&
            (person.state === 'active' ? (
              <Button onPress={() => setOpen('deactivate')}>{w.deactivate}</Button>
            ) : (
              <Reactivate person={person} onDone={() => toast(say(w.reactivated, { name }))} />
            ))}
          {may('person.delete') && (
            <Button look="danger" onPress={() => setOpen('delete')}>
              {w.delete}
            </Button>
          )}
        </Row>
      </Spread>
      <Facts>
        <dt>{w.loginNames}</dt>
        <dd>
          <LoginNames person={person} onAdd={() => setOpen('login')} />
        </dd>
        <dt>{w.groups}</dt>
        <dd>
          <Groups person={person} onJoin={() => setOpen('group')} />
        </dd>
        <dt>{w.contact}</dt>
        <dd>{[person.mail, person.phone].filter(Boolean).join(', ') || words.none}</dd>
        <dt>{w.timeZone}</dt>
        <dd>{person.timeZone}</dd>
        <dt>{w.since}</dt>
        <dd>
          <Time at={person.createdAt} />
        </dd>
      </Facts>
      <Keyring person={person} />
      <PersonInvitations person={person} />
      <PersonPasses person={person} />
      <Offered personId={id} />
      <Browsers person={person} />
      <Meets person={person} />
      <Section aria-labelledby="sign-ins">
        <Spread>
          <h2 id="sign-ins">{w.signIns}</h2>
          <Link to={`/sign-ins?person=${id}`}>{w.allSignIns}</Link>
        </Spread>
        {signIns.data && <ActivityTable rows={signIns.data.rows} label={w.signIns} />}
      </Section>
      <OwnTrail personId={id} name={name} />
      {open === 'edit' && <EditPerson person={person} onClose={close} />}
      {open === 'password' && (
        <SetPassword
          person={person}
          onClose={close}
          onDone={() => {
            close();
            toast(say(w.passwordDone, { name }));
          }}
        />
      )}
      {open === 'login' && <AddLoginName person={person} onClose={close} />}
      {open === 'group' && <JoinGroup person={person} onClose={close} />}
      {open === 'deactivate' && (
        <Deactivate
          person={person}
          onClose={close}
          onDone={() => {
            close();
            toast(say(w.deactivatedDone, { name }), () => call('people.reactivate', { params: { id } }));
          }}
        />
      )}
      {open === 'role' && <GiveRole person={person} onClose={close} />}
      {open === 'emergency' && <MarkEmergency person={person} onClose={close} />}
      {open === 'delete' && <DeletePerson person={person} onClose={close} />}
    </Page>
  );
}

function LoginNames({ person, onAdd }: { person: Person; onAdd: () => void }) {
  const params = { id: person.id };
  const remove = useAct(
    (one: Person['loginNames'][number]) => call('loginNames.remove', { params: { ...params, loginNameId: one.id } }),
    (_, { value }) =>
      toast(say(w.loginRemoved, { value, name: person.displayName }), () =>
        call('loginNames.add', { params, body: { value }, idempotencyKey: crypto.randomUUID() }),
      ),
  );
  return (
    <>
      <Row>
        {person.loginNames.map((one) => (
          <span key={one.id}>
            {one.value}
            {person.loginNames.length > 1 && (
              <Button
                look="quiet"
                aria-label={say(w.removeLogin, { name: one.value })}
                onPress={() => remove.mutate(one)}
              >
                ✕
              </Button>
            )}
          </span>
        ))}
        <Button look="quiet" onPress={onAdd}>
          {w.addLogin}
        </Button>
      </Row>
      {remove.trouble && <Banner $tone="danger">{remove.trouble.text}</Banner>}
    </>
  );
}

function Groups({ person, onJoin }: { person: Person; onJoin: () => void }) {
  const leave = useAct(
    ({ id }: Person['groups'][number]) => call('groups.leave', { params: { id, personId: person.id } }),
    (_, { id, name: group }) =>
      toast(say(w.groupLeft, { group, name: person.displayName }), () =>
        call('groups.join', { params: { id, personId: person.id } }),
      ),
  );
  return (
    <Row>
      {person.groups.map((group) => (
        <span key={group.id}>
          <Link to={`/groups/${group.id}`}>{group.name}</Link>
          {group.through === null ? (
            <Button
              look="quiet"
              aria-label={say(w.leaveGroup, { name: group.name })}
              onPress={() => leave.mutate(group)}
            >
              ✕
            </Button>
          ) : (
            <Soft> {say(w.throughGroup, { name: group.through })}</Soft>
          )}
        </span>
      ))}
      <Button look="quiet" onPress={onJoin}>
        {w.joinGroup}
      </Button>
    </Row>
  );
}

function EditPerson({ person, onClose }: { person: Person; onClose: () => void }) {
  const [form, setForm] = useState({
    displayName: person.displayName,
    mail: person.mail ?? '',
    phone: person.phone ?? '',
    language: person.language,
    timeZone: person.timeZone,
  });
  const set = (name: keyof typeof form) => (value: string) => setForm((before) => ({ ...before, [name]: value }));
  const act = useAct<undefined, unknown>(
    () =>
      call('people.edit', {
        params: { id: person.id },
        body: { ...form, mail: form.mail || null, phone: form.phone || null },
        ifMatch: person.version,
      }),
    onClose,
  );
  const problems = act.trouble?.fields ?? {};
  return (
    <FormDialog title={person.displayName} act={act} onClose={onClose} finish={words.act.save}>
      <TextField
        label={w.displayName}
        value={form.displayName}
        onChange={set('displayName')}
        problem={problems['displayName']}
        autoFocus
      />
      <TextField label={w.mail} type="email" value={form.mail} onChange={set('mail')} problem={problems['mail']} />
      <TextField
        label={w.phone}
        description={w.phoneHint}
        type="tel"
        value={form.phone}
        onChange={set('phone')}
        problem={problems['phone']}
      />
      <TextField label={w.language} value={form.language} onChange={set('language')} problem={problems['language']} />
      <TextField label={w.timeZone} value={form.timeZone} onChange={set('timeZone')} problem={problems['timeZone']} />
    </FormDialog>
  );
}

function SetPassword({ person, onClose, onDone }: { person: Person; onClose: () => void; onDone: () => void }) {
  const [password, setPassword] = useState('');
  const [mustChange, setMustChange] = useState(false);
  const act = useAct<undefined, Answer<'people.setPassword'>>(
    () => call('people.setPassword', { params: { id: person.id }, body: { password, mustChange } }),
    ({ ended }) => {
      onDone();
      toastEnded(ended);
    },
  );
  return (
    <FormDialog title={w.setPassword} act={act} onClose={onClose} finish={w.setPassword}>
      <TextField
        label={w.newPassword}
        description={words.setUp.passwordHint}
        type="password"
        autoComplete="new-password"
        value={password}
        onChange={setPassword}
        autoFocus
      />
      <Checkbox isSelected={mustChange} onChange={setMustChange}>
        {w.mustChange}
      </Checkbox>
    </FormDialog>
  );
}

function AddLoginName({ person, onClose }: { person: Person; onClose: () => void }) {
  const [value, setValue] = useState('');
  const act = useAct<undefined, unknown>(
    () => call('loginNames.add', { params: { id: person.id }, body: { value } }),
    onClose,
  );
  return (
    <FormDialog title={w.addLogin} act={act} onClose={onClose} finish={w.addLogin}>
      <TextField
        label={w.loginName}
        description={words.setUp.loginHint}
        value={value}
        onChange={setValue}
        problem={act.trouble?.fields['value']}
        autoFocus
      />
    </FormDialog>
  );
}

function JoinGroup({ person, onClose }: { person: Person; onClose: () => void }) {
  const groups = useRead('groups.list', { query: { limit: 200 } });
  const open = (groups.data?.rows ?? []).filter(
    (group) => !person.groups.some((mine) => mine.id === group.id && mine.through === null),
  );
  const [chosen, setChosen] = useState('');
  const id = chosen || (open[0]?.id ?? '');
  const act = useAct<undefined, unknown>(() => call('groups.join', { params: { id, personId: person.id } }), onClose);
  return (
    <FormDialog title={w.joinGroup} act={act} onClose={onClose} finish={w.joinGroup}>
      {open.length > 0 ? (
        <Select
          label={w.group}
          options={open.map((group) => ({ id: group.id, text: group.name }))}
          value={id}
          onChange={setChosen}
        />
      ) : (
        <p>{peopleWords.groups.emptyTitle}</p>
      )}
    </FormDialog>
  );
}

function Deactivate({ person, onClose, onDone }: { person: Person; onClose: () => void; onDone: () => void }) {
  const act = useAct<undefined, unknown>(() => call('people.deactivate', { params: { id: person.id } }), onDone);
  return (
    <FormDialog title={w.deactivate} act={act} onClose={onClose} finish={w.deactivate} danger>
      <p>{say(w.deactivateText, { name: person.displayName })}</p>
    </FormDialog>
  );
}

function Reactivate({ person, onDone }: { person: Person; onDone: () => void }) {
  const act = useAct(() => call('people.reactivate', { params: { id: person.id } }), onDone);
  return <Button onPress={() => act.mutate(undefined)}>{w.reactivate}</Button>;
}

function DeletePerson({ person, onClose }: { person: Person; onClose: () => void }) {
  const navigate = useNavigate();
  const keyring = useRead('keyring.show', { params: { id: person.id } });
  const act = useAct<undefined, unknown>(
    () => call('people.delete', { params: { id: person.id } }),
    () => void navigate('/people'),
  );
  const active = keyring.data?.authenticators.filter((one) => one.state === 'active').length ?? 0;
  return (
    <FormDialog
      title={say(w.deleteTitle, { name: person.displayName })}
      act={act}
      onClose={onClose}
      finish={w.deleteAct}
      danger
    >
      <p>
        {say(w.deleteText, {
          name: person.displayName,
          active,
          names: person.loginNames.length,
          groups: person.groups.filter((group) => group.through === null).length,
        })}
      </p>
    </FormDialog>
  );
}

import type { Answer } from '@nimble-latch/api';
import { useMemo, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { ActionMenu } from '../../frame/components/action-menu.js';
import { Button } from '../../frame/components/button.js';
import { Checkbox, Select } from '../../frame/components/choices.js';
import { Fold } from '../../frame/components/fold.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Facts, Page, Row, Section, Soft, Spread, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { toast, toastEnded } from '../../frame/components/toasts.js';
import { ActivityTable } from '../signins/activity-table.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { accessWords } from '../access/messages/index.js';
import { canGetIn } from './can-get-in.js';
import { peopleWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { CallsContext, useMayCall } from '../../frame/session/context.js';
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
  const { data, isPending } = useRead('people.calls', { params: { id } });
  const reading = useParts(id);
  const calls = useMemo(() => new Set(data?.calls), [data]);
  return (
    // Until it is known what may be done here, nothing is offered that would be taken away again.
    <CallsContext value={calls}>
      {isPending || reading ? <Page aria-busy="true">{words.loading}</Page> : <Shown id={id} />}
    </CallsContext>
  );
}

/** Whether what stands in the middle of the page is still being read: shown part by part, it would move under whoever clicks. */
function useParts(id: string): boolean {
  const params = { id };
  return [
    useRead('people.show', { params }),
    useRead('people.meets', { params }),
    useRead('keyring.show', { params }),
    useRead('people.methods', { params }),
    useRead('passes.list', { query: { person: id, limit: 50 } }),
    useRead('invitations.list', { query: { person: id, limit: 1 } }),
    // A part that failed is asked for again by itself where it stands: to wait for that would take the page away and begin anew, for ever.
  ].some(({ isPending, errorUpdateCount }) => isPending && errorUpdateCount === 0);
}

function Shown({ id }: { id: string }) {
  const { data: person, error } = useRead('people.show', { params: { id } });
  const signIns = useRead('activity.list', { query: { person: id, limit: 5 } });
  const [open, setOpen] = useState<
    'edit' | 'password' | 'login' | 'group' | 'deactivate' | 'delete' | 'role' | 'emergency'
  >();
  const may = useMayCall();
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
          <Button calls="people.edit" onPress={() => setOpen('edit')}>
            {w.edit}
          </Button>
          <ActionMenu
            about={name}
            choices={[
              { text: w.setPassword, calls: 'people.setPassword', run: () => setOpen('password') },
              { text: w.addLogin, calls: 'loginNames.add', run: () => setOpen('login') },
              { text: w.joinGroup, calls: 'groups.join', run: () => setOpen('group') },
            ]}
          />
        </Row>
      </Spread>
      <Soft>
        {[...person.loginNames.map(({ value }) => value), person.mail, person.phone].filter(Boolean).join(' · ')}
      </Soft>
      <GetsIn person={person} />
      <Keyring person={person} />
      <PersonPasses person={person} />
      <PersonInvitations person={person} />
      <Meets person={person} />
      <Section aria-labelledby="sign-ins">
        <Spread>
          <h2 id="sign-ins">{w.signIns}</h2>
          <Link to={`/sign-ins?person=${id}`}>{w.allSignIns}</Link>
        </Spread>
        {signIns.data && <ActivityTable rows={signIns.data.rows} label={w.signIns} />}
      </Section>
      <Fold id="about" title={w.about} says={person.groups.map((group) => group.name).join(', ')}>
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
      </Fold>
      <Offered personId={id} />
      <Browsers person={person} />
      {may('trail.list') && <OwnTrail personId={id} name={name} />}
      {(may('roles.grant') || may('people.deactivate') || may('people.delete')) && (
        <Fold id="rights" title={w.rights}>
          <Row>
            <Button calls="roles.grant" onPress={() => setOpen('role')}>
              {accessWords.administrators.give}
            </Button>
            <Button calls="people.markEmergency" onPress={() => setOpen('emergency')}>
              {person.emergency ? accessWords.administrators.unmarkEmergency : accessWords.administrators.markEmergency}
            </Button>
            {person.state === 'active' && (
              <Button calls="people.deactivate" onPress={() => setOpen('deactivate')}>
                {w.deactivate}
              </Button>
            )}
            <Button look="danger" calls="people.delete" onPress={() => setOpen('delete')}>
              {w.delete}
            </Button>
          </Row>
        </Fold>
      )}
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

/** The answer to what a page about somebody is opened for: whether they get in, and with what. */
function GetsIn({ person }: { person: Person }) {
  const { data } = useRead('people.meets', { params: { id: person.id } });
  const name = person.displayName;
  if (!data) return <p aria-busy="true">{words.loading}</p>;
  const { tone, text } = canGetIn(person, data.rows);
  return (
    <Row>
      <State tone={tone} wraps>
        {text}
      </State>
      {person.state === 'deactivated' && (
        <Reactivate person={person} onDone={() => toast(say(w.reactivated, { name }))} />
      )}
    </Row>
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
                calls="loginNames.remove"
                onPress={() => remove.mutate(one)}
              >
                ✕
              </Button>
            )}
          </span>
        ))}
        <Button calls="loginNames.add" look="quiet" onPress={onAdd}>
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
              calls="groups.leave"
              onPress={() => leave.mutate(group)}
            >
              ✕
            </Button>
          ) : (
            <Soft> {say(w.throughGroup, { name: group.through })}</Soft>
          )}
        </span>
      ))}
      <Button calls="groups.join" look="quiet" onPress={onJoin}>
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
  return (
    <Button calls="people.reactivate" onPress={() => act.mutate(undefined)}>
      {w.reactivate}
    </Button>
  );
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

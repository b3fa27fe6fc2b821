import { LIMITABLE_ROLES, ROLES, type Answer, type Role } from '@nimble-latch/api';
import { useState } from 'react';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { accessWords } from './messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';

const w = accessWords.administrators;

/** Gives somebody a role, or changes the groups that it is limited to. */
export function GiveRole({ person, onClose }: { person: Answer<'people.show'>; onClose: () => void }) {
  const [role, setRole] = useState<Role>('help-desk');
  const [reach, setReach] = useState<'everybody' | 'groups'>('everybody');
  const [groups, setGroups] = useState<string[]>([]);
  const all = useRead('groups.list', { query: { limit: 200 } });
  const limited = reach === 'groups' && LIMITABLE_ROLES.includes(role);
  const act = useAct<undefined, unknown>(
    () => call('roles.grant', { params: { id: person.id, role }, body: { groups: limited ? groups : null } }),
    () => {
      onClose();
      toast(say(w.given, { name: person.displayName, role: shared.roles[role] }));
    },
  );
  return (
    <FormDialog title={say(w.giveTitle, { name: person.displayName })} act={act} onClose={onClose} finish={w.give}>
      <Select
        label={w.role}
        value={role}
        onChange={(next) => setRole(next as Role)}
        options={ROLES.map((id) => ({ id, text: shared.roles[id] }))}
      />
      <p>{w.does[role]}</p>
      {LIMITABLE_ROLES.includes(role) && (
        <Select
          label={w.reaches}
          value={reach}
          onChange={(next) => setReach(next as typeof reach)}
          options={[
            { id: 'everybody', text: w.everybody },
            { id: 'groups', text: w.inGroups },
          ]}
        />
      )}
      {limited && (
        <CheckboxGroup
          label={w.groups}
          value={groups}
          onChange={setGroups}
          options={(all.data?.rows ?? []).map((group) => ({ id: group.id, text: group.name }))}
        />
      )}
    </FormDialog>
  );
}

/** Makes somebody an emergency account, or an ordinary one again. */
export function MarkEmergency({ person, onClose }: { person: Answer<'people.show'>; onClose: () => void }) {
  const facts = { name: person.displayName };
  const emergency = !person.emergency;
  const act = useAct<undefined, unknown>(
    () => call('people.markEmergency', { params: { id: person.id }, body: { emergency } }),
    onClose,
  );
  const title = emergency ? w.markEmergency : w.unmarkEmergency;
  return (
    <FormDialog title={title} act={act} onClose={onClose} finish={title}>
      <p>{say(emergency ? w.markText : w.unmarkText, facts)}</p>
    </FormDialog>
  );
}

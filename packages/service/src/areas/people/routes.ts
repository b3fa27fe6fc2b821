import { catalogue } from '@nimble-latch/api';
import { normaliseLoginName } from '@nimble-latch/core/loginnames';
import { countersignedForKeyring } from '../access/countersign.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { assertOffered } from '../methods/offer.js';
import { setPassword } from '../keyring/set-password.js';
import { entryOf, groupsWithin } from '../../platform/http/actors.js';
import { addPerson } from './add-person.js';
import { beginChange, listChanges, showChange, undoChange } from './bulk.js';
import { countPeople } from './counts.js';
import { deactivatePerson, deletePerson, editPerson, reactivatePerson } from './change-person.js';
import { addGroup, deleteGroup, editGroup, joinGroup, leaveGroup, listGroups, showGroup } from './groups.js';
import { addLoginName, removeLoginName } from './login-names.js';
import { lockPerson } from './lock-person.js';
import { exportPeople } from './export.js';
import type { PeopleFilter } from './filter.js';
import { countExactly } from './gather.js';
import { listPeople } from './list.js';
import { addPart, removePart } from './nesting.js';
import { asSeenBy } from './reached-groups.js';
import { readPerson } from './store.js';

const list: Handler<'people.list'> = async (deps, { query, actor }) => {
  const { limit, cursor, loginName, ...asked } = query;
  const filter: PeopleFilter = { ...asked, within: groupsWithin(actor, 'person.read') };
  if (loginName === undefined) return { answer: await listPeople(deps, filter, { limit, cursor }) };
  const name = normaliseLoginName(loginName);
  // What cannot be a login name belongs to nobody.
  if (!name.ok) return { answer: { rows: [], next: null } };
  return { answer: await listPeople(deps, { ...filter, loginName: name.value }, { limit }) };
};

const show: Handler<'people.show'> = async (deps, { actor, params }) => {
  const person = await asSeenBy(deps, actor, await readPerson(deps, deps, params.id));
  return { answer: person, version: person.version };
};

const setPasswordFor: Handler<'people.setPassword'> = async (deps, call) => {
  const { id } = call.params;
  const person = await readPerson(deps, deps, id);
  const prepared = await setPassword.prepare(
    deps,
    call.body.password,
    person.loginNames.map((name) => name.value),
    (await assertOffered(deps, deps, id, 'password')).decided!.cell.parameters?.leastLength,
  );
  return await call.run(async (work) => {
    await lockPerson(work, id);
    await countersignedForKeyring(deps, work, call, id, { mustChange: call.body.mustChange }, (name) => ({
      what: 'password-set',
      facts: { name },
    }));
    const { id: authenticatorId, ended } = await setPassword.store(
      deps,
      work,
      id,
      prepared,
      catalogue('en').methods.password,
      { mustChange: call.body.mustChange },
    );
    await work.trail(
      entryOf(
        call,
        'password.set',
        { kind: 'authenticator', id: authenticatorId },
        { person: id, details: { mustChange: call.body.mustChange, ended: { ...ended } } },
      ),
    );
    return { answer: { ended } };
  });
};

export const peopleHandlers: AreaHandlers<
  | 'people.list'
  | 'people.counts'
  | 'people.count'
  | 'people.export'
  | 'people.add'
  | 'people.show'
  | 'people.edit'
  | 'people.deactivate'
  | 'people.reactivate'
  | 'people.delete'
  | 'people.setPassword'
  | 'loginNames.add'
  | 'loginNames.remove'
  | 'groups.list'
  | 'groups.add'
  | 'groups.show'
  | 'groups.edit'
  | 'groups.delete'
  | 'groups.join'
  | 'groups.leave'
  | 'bulkChanges.list'
  | 'bulkChanges.begin'
  | 'bulkChanges.show'
  | 'bulkChanges.undo'
  | 'groups.addPart'
  | 'groups.removePart'
> = {
  'people.list': list,
  'people.counts': async (deps, { actor }) => ({ answer: await countPeople(deps, groupsWithin(actor, 'person.read')) }),
  'people.count': async (deps, { query, actor }) => ({
    answer: { people: await countExactly(deps, { ...query, within: groupsWithin(actor, 'person.read') }) },
  }),
  'people.export': exportPeople,
  'people.add': addPerson,
  'people.show': show,
  'people.edit': editPerson,
  'people.deactivate': deactivatePerson,
  'people.reactivate': reactivatePerson,
  'people.delete': deletePerson,
  'people.setPassword': setPasswordFor,
  'loginNames.add': addLoginName,
  'loginNames.remove': removeLoginName,
  'groups.list': listGroups,
  'groups.add': addGroup,
  'groups.show': showGroup,
  'groups.edit': editGroup,
  'groups.delete': deleteGroup,
  'groups.join': joinGroup,
  'groups.leave': leaveGroup,
  'bulkChanges.list': listChanges,
  'bulkChanges.begin': beginChange,
  'bulkChanges.show': showChange,
  'bulkChanges.undo': undoChange,
  'groups.addPart': addPart,
  'groups.removePart': removePart,
};

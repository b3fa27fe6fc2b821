import type { Answer } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { Banner, Row, Soft, Spread } from '../../frame/components/layout.js';
import { TextField } from '../../frame/components/text-fields.js';
import { say, words } from '../../frame/messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { peopleWords } from './messages/index.js';

const w = peopleWords.groups;
type Found = Answer<'people.list'>['rows'][number];

/** Finds people, and puts each into the group as they are found: the dialog stays for the next. */
export function AddMembers({ group, onClose }: { group: { id: string; name: string }; onClose: () => void }) {
  const [typed, setTyped] = useState('');
  const asked = useDeferredValue(typed.trim());
  const [added, setAdded] = useState<ReadonlySet<string>>(new Set());
  const { data } = useQuery({
    queryKey: ['people', 'add-members', asked],
    queryFn: async () => await call('people.list', { query: { q: asked, limit: 10 } }),
    enabled: asked !== '',
  });
  const join = useAct(
    async ({ id }: Found) => await call('groups.join', { params: { id: group.id, personId: id } }),
    (_, { id }) => setAdded((before) => new Set([...before, id])),
  );
  const rows = asked === '' ? [] : (data?.rows ?? []);
  return (
    <Dialog title={say(w.addMembersTitle, { name: group.name })} onClose={onClose}>
      {join.trouble && (
        <Banner $tone="danger" role="alert">
          {join.trouble.text}
        </Banner>
      )}
      <TextField
        label={peopleWords.people.search}
        description={peopleWords.people.searchHint}
        value={typed}
        onChange={setTyped}
        type="search"
        autoFocus
      />
      {rows.map((row) => (
        <Spread key={row.id}>
          <span>
            {row.displayName} <Soft>{row.loginNames.join(', ')}</Soft>
          </span>
          {added.has(row.id) ? (
            <span role="status">{w.memberAdded}</span>
          ) : row.groups.includes(group.name) ? (
            <Soft>{w.memberAlready}</Soft>
          ) : (
            <Button
              calls="groups.join"
              about={row.displayName}
              isPending={join.isPending}
              onPress={() => join.mutate(row)}
            >
              {w.addMember}
            </Button>
          )}
        </Spread>
      ))}
      {asked !== '' && data && rows.length === 0 && <Soft role="status">{peopleWords.people.emptyTitle}</Soft>}
      <Row>
        <Button onPress={onClose}>{words.act.close}</Button>
      </Row>
    </Dialog>
  );
}

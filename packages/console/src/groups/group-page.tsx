import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { Button } from '../components/button.js';
import { FormDialog } from '../components/form-dialog.js';
import { Banner, Page, Row, Section, Spread } from '../components/layout.js';
import { say, words } from '../messages/index.js';
import { PeopleTable } from '../people/people-table.js';
import { call, troubleOf, useAct, useRead } from '../session/api.js';
import { GroupForm } from './groups-page.js';

const w = words.groups;

export function GroupPage() {
  const { id = '' } = useParams();
  const { data: group, error } = useRead('groups.show', { params: { id } });
  const [open, setOpen] = useState<'edit' | 'delete'>();
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!group) return <Page aria-busy="true">{words.loading}</Page>;
  const close = () => setOpen(undefined);
  return (
    <Page>
      <Spread>
        <h1>{group.name}</h1>
        <Row>
          <Button onPress={() => setOpen('edit')}>{w.edit}</Button>
          <Button look="danger" onPress={() => setOpen('delete')}>
            {w.delete}
          </Button>
        </Row>
      </Spread>
      <p>{group.description}</p>
      <Section aria-labelledby="members">
        <h2 id="members">
          {w.memberTitle} ({group.members})
        </h2>
        <PeopleTable filter={{ group: id }} empty={words.groups.noMembers} />
      </Section>
      {open === 'edit' && <GroupForm group={group} onClose={close} onDone={close} />}
      {open === 'delete' && <DeleteGroup id={id} name={group.name} members={group.members} onClose={close} />}
    </Page>
  );
}

function DeleteGroup({
  id,
  name,
  members,
  onClose,
}: {
  id: string;
  name: string;
  members: number;
  onClose: () => void;
}) {
  const navigate = useNavigate();
  const act = useAct<undefined, unknown>(
    () => call('groups.delete', { params: { id } }),
    () => void navigate('/groups'),
  );
  return (
    <FormDialog title={say(w.deleteTitle, { name })} act={act} onClose={onClose} finish={w.delete} danger>
      <p>{say(w.deleteText, { members })}</p>
    </FormDialog>
  );
}

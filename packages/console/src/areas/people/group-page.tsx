import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Facts, Page, Row, Section, Soft, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { say, words } from '../../frame/messages/index.js';
import { peopleWords } from './messages/index.js';
import { PeopleTable } from './people-table.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { AddMembers } from './add-members.js';
import { GroupForm } from './groups-page.js';

const w = peopleWords.groups;
type Group = Answer<'groups.show'>;

export function GroupPage() {
  const { id = '' } = useParams();
  const { data: group, error } = useRead('groups.show', { params: { id } });
  const [open, setOpen] = useState<'edit' | 'delete' | 'members'>();
  const may = useMayCall()('groups.edit');
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
        {may && (
          <Row>
            <Button calls="groups.edit" onPress={() => setOpen('edit')}>
              {w.edit}
            </Button>
            <Button look="danger" calls="groups.delete" onPress={() => setOpen('delete')}>
              {w.delete}
            </Button>
          </Row>
        )}
      </Spread>
      <p>{group.description}</p>
      <Facts>
        <dt>{w.people}</dt>
        <dd>
          <Link to={`/people?group=${id}`}>{say(w.peopleOf, { people: group.people, members: group.members })}</Link>
        </dd>
        {group.partOf.length > 0 && (
          <>
            <dt>{w.partOf}</dt>
            <dd>
              <Row>
                {group.partOf.map((whole) => (
                  <Link key={whole.id} to={`/groups/${whole.id}`}>
                    {whole.name}
                  </Link>
                ))}
              </Row>
            </dd>
          </>
        )}
      </Facts>
      <Parts group={group} />
      <Section aria-labelledby="members">
        <Spread>
          <h2 id="members">
            {w.memberTitle} ({group.members})
          </h2>
          {may && (
            <Button calls="groups.join" onPress={() => setOpen('members')}>
              {w.addMembers}
            </Button>
          )}
        </Spread>
        <PeopleTable filter={{ member: id }} empty={peopleWords.groups.noMembers} />
      </Section>
      {open === 'members' && <AddMembers group={group} onClose={close} />}
      {open === 'edit' && <GroupForm group={group} onClose={close} onDone={close} />}
      {open === 'delete' && <DeleteGroup id={id} name={group.name} members={group.members} onClose={close} />}
    </Page>
  );
}

/** What is inside a group and what each part brings with it. */
function Parts({ group }: { group: Group }) {
  const [adding, setAdding] = useState(false);
  const may = useMayCall()('groups.edit');
  const remove = useAct((partId: string) => call('groups.removePart', { params: { id: group.id, partId } }));
  const navigate = useNavigate();
  return (
    <Section aria-labelledby="parts">
      <Spread>
        <h2 id="parts">{w.partsTitle}</h2>
        {may && (
          <Button calls="groups.addPart" onPress={() => setAdding(true)}>
            {w.addPart}
          </Button>
        )}
      </Spread>
      {remove.trouble && <Banner $tone="danger">{remove.trouble.text}</Banner>}
      {group.parts.length === 0 ? (
        <Soft>{w.noParts}</Soft>
      ) : (
        <Table
          label={w.partsTitle}
          rows={group.parts}
          keyOf={(part) => part.id}
          onOpen={(part) => void navigate(`/groups/${part.id}`)}
          columns={[
            { heading: w.name, cell: (part) => part.name },
            { heading: w.brings, cell: (part) => say(w.bringsPeople, { people: part.people }) },
            {
              heading: w.how,
              cell: (part) =>
                part.direct && !may ? null : part.direct ? (
                  <Button
                    look="quiet"
                    about={part.name}
                    calls="groups.removePart"
                    onPress={() => remove.mutate(part.id)}
                  >
                    {w.takeOut}
                  </Button>
                ) : (
                  <Soft>{w.inAPart}</Soft>
                ),
            },
          ]}
        />
      )}
      {adding && <AddPart group={group} onClose={() => setAdding(false)} />}
    </Section>
  );
}

function AddPart({ group, onClose }: { group: Group; onClose: () => void }) {
  const { data } = useRead('groups.list', { query: { limit: 200 } });
  const taken = new Set([group.id, ...[...group.parts, ...group.partOf].map((one) => one.id)]);
  const free = (data?.rows ?? []).filter((one) => !taken.has(one.id));
  const [chosen, setChosen] = useState<string>();
  const partId = chosen ?? free[0]?.id ?? '';
  const act = useAct<undefined, unknown>(() => call('groups.addPart', { params: { id: group.id, partId } }), onClose);
  const part = free.find((one) => one.id === partId);
  return (
    <FormDialog title={say(w.addPartTitle, { name: group.name })} act={act} onClose={onClose} finish={w.addPart}>
      {free.length === 0 ? (
        <p>{w.noneLeft}</p>
      ) : (
        <Select
          label={w.part}
          value={partId}
          onChange={setChosen}
          options={free.map((one) => ({ id: one.id, text: one.name }))}
        />
      )}
      {part && <p>{say(w.addPartText, { part: part.name, members: part.members, name: group.name })}</p>}
    </FormDialog>
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

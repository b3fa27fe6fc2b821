import type { Answer, BulkKind } from '@nimble-latch/api';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Row, Soft } from '../../frame/components/layout.js';
import { Progress } from '../../frame/components/progress.js';
import { toast } from '../../frame/components/toasts.js';
import { locale, say } from '../../frame/messages/index.js';
import { peopleWords } from './messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { InviteDialog } from '../invitations/invite-dialog.js';
import { invitationsWords } from '../invitations/messages/index.js';
import type { PeopleFilter } from './people-table.js';

const w = peopleWords.bulk;

/** Whom a change is for: those that were ticked, or everybody who fits the filter. */
export type Chosen = 'all' | ReadonlySet<string>;

const number = (value: number) => value.toLocaleString(locale);

/** What can be done with those who are chosen, with their exact number before anything happens. */
export function BulkBar({ chosen, filter, onDone }: { chosen: Chosen; filter: PeopleFilter; onDone: () => void }) {
  const [doing, setDoing] = useState<BulkKind>();
  const [inviting, setInviting] = useState(false);
  const may = useMayCall();
  const { data: counted } = useQuery({
    queryKey: ['people', 'people.count', JSON.stringify(filter)],
    queryFn: () => call('people.count', { query: filter }),
    enabled: chosen === 'all',
  });
  const people = chosen === 'all' ? counted?.people : chosen.size;
  if (people === undefined) return <Soft role="status">{w.counting}</Soft>;
  return (
    <Banner $tone="good" role="group" aria-label={w.label}>
      <strong role="status">{say(chosen === 'all' ? w.allFit : w.ticked, { people: number(people) })}</strong>
      <Row>
        {(['join', 'leave', 'deactivate', 'reactivate'] as const).map((kind) => (
          <Button key={kind} calls="bulkChanges.begin" onPress={() => setDoing(kind)}>
            {w.kinds[kind]}
          </Button>
        ))}
        {may('invitationRounds.begin') && (
          <Button calls="invitationRounds.begin" onPress={() => setInviting(true)}>
            {invitationsWords.invitations.invite}
          </Button>
        )}
        <Button look="quiet" onPress={onDone}>
          {w.none}
        </Button>
      </Row>
      {inviting && (
        <InviteDialog who={chosen === 'all' ? { filter } : { ids: [...chosen] }} onClose={() => setInviting(false)} />
      )}
      {doing && (
        <BulkDialog
          kind={doing}
          people={people}
          chosen={chosen}
          filter={filter}
          onClose={() => setDoing(undefined)}
          onBegun={() => {
            setDoing(undefined);
            onDone();
          }}
        />
      )}
    </Banner>
  );
}

function BulkDialog({
  kind,
  people,
  chosen,
  filter,
  onClose,
  onBegun,
}: {
  kind: BulkKind;
  people: number;
  chosen: Chosen;
  filter: PeopleFilter;
  onClose: () => void;
  onBegun: () => void;
}) {
  const needsGroup = kind === 'join' || kind === 'leave';
  const { data: groups } = useRead('groups.list', { query: { limit: 200 } });
  const [picked, setPicked] = useState<string>();
  const group = picked ?? groups?.rows[0]?.id;
  const act = useAct<undefined, Answer<'bulkChanges.begin'>>(
    () =>
      call('bulkChanges.begin', {
        body: {
          kind,
          ...(needsGroup && group !== undefined ? { group } : {}),
          who: chosen === 'all' ? { filter } : { ids: [...chosen] },
          expect: people,
        },
        idempotencyKey: crypto.randomUUID(),
      }),
    onBegun,
  );
  return (
    <FormDialog
      title={say(w.titles[kind], { people: number(people) })}
      act={act}
      onClose={onClose}
      finish={w.kinds[kind]}
      danger={kind === 'deactivate'}
    >
      {needsGroup && (
        <Select
          label={peopleWords.people.group}
          value={group ?? ''}
          onChange={setPicked}
          options={(groups?.rows ?? []).map((one) => ({ id: one.id, text: one.name }))}
        />
      )}
      <p>{say(w.texts[kind], { people: number(people) })}</p>
    </FormDialog>
  );
}

/** How many of the latest changes are looked through for those that are under way. */
const LATEST = 5;
/** Changes that were seen under way on this page, and are told when they end. */
const watched = new Set<string>();

/** Changes to many people that are under way, also those begun elsewhere; told when they end, with a way back. */
export function BulkProgress() {
  const queries = useQueryClient();
  const { data } = useQuery({
    queryKey: ['bulkChanges', 'bulkChanges.list'],
    queryFn: async () => {
      const { rows } = await call('bulkChanges.list', { query: { limit: LATEST } });
      for (const change of rows) {
        if (change.state !== 'done') watched.add(change.id);
        else if (watched.delete(change.id)) {
          ended(change);
          // The list behind it was read while it was under way.
          void queries.invalidateQueries({ queryKey: ['people'] });
        }
      }
      return rows;
    },
    refetchInterval: ({ state }) => (state.data?.some((change) => change.state !== 'done') ? 700 : false),
  });
  const running = (data ?? []).filter((change) => change.state !== 'done');
  return running.map((change) => (
    <Progress
      key={change.id}
      label={say(w.running[change.kind], {
        done: number(change.passed),
        people: number(change.people),
        group: change.group?.name ?? '',
      })}
      done={change.passed}
      total={change.people}
    />
  ));
}

function ended(change: Answer<'bulkChanges.show'>): void {
  const text = say(w.ended[change.kind], {
    changed: number(change.changed),
    people: number(change.people),
    group: change.group?.name ?? '',
  });
  const undoable = change.undoes === null && change.changed > 0;
  toast(text, undoable ? async () => await call('bulkChanges.undo', { params: { id: change.id } }) : undefined);
}

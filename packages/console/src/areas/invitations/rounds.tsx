import { type Answer } from '@nimble-latch/api';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Row, Section, Small } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { LettersDialog } from './letters.js';
import { MergeDialog } from './merge-file.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;
type Round = Answer<'invitationRounds.show'>;
const SHOWN = 10;
const EVERY_MS = 700;
const isUnderWay = ({ state }: Round): boolean => state !== 'done';
type Printed = Answer<'invitationRounds.print'>;

const passedOver = ({ outcomes }: Round): number =>
  Object.entries(outcomes).reduce((sum, [outcome, people]) => (outcome === 'invited' ? sum : sum + people), 0);

/** Sendings of the page, looked at again while one is under way; what came of it is read anew when it has ended. */
function useRounds() {
  const queries = useQueryClient();
  const { data } = useQuery({
    queryKey: ['invitationRounds', 'invitationRounds.list', SHOWN],
    queryFn: async () => await call('invitationRounds.list', { query: { limit: SHOWN } }),
    refetchInterval: ({ state }) => (state.data?.rows.some(isUnderWay) ? EVERY_MS : false),
  });
  const underWay = data?.rows.some(isUnderWay) === true;
  useEffect(() => {
    if (!underWay) void queries.invalidateQueries({ queryKey: ['invitations'] });
  }, [underWay, queries]);
  return data;
}

/** The latest sendings: how far each is, who was passed over, which letters wait to be printed. */
export function Rounds() {
  const data = useRounds();
  const [passed, setPassed] = useState<Round>();
  const [printing, setPrinting] = useState<Round>();
  const [letters, setLetters] = useState<Printed>();
  const [merging, setMerging] = useState<Round>();
  if (!data || data.rows.length === 0) return null;
  return (
    <Section aria-labelledby="sendings">
      <h2 id="sendings">{w.rounds}</h2>
      <Table
        label={w.rounds}
        rows={data.rows}
        keyOf={(row) => row.id}
        columns={[
          { heading: w.roundOf, cell: (row) => <Time at={row.createdAt} /> },
          { heading: w.for, cell: (row) => row.methods.map((method) => shared.methods[method]).join(', ') },
          {
            heading: w.invited,
            cell: (row) =>
              row.state === 'done' ? (
                <Link to={`/invitations?sending=${row.id}`}>
                  {say(w.ofPeople, { invited: row.outcomes.invited ?? 0, people: row.people })}
                </Link>
              ) : (
                say(w.running, { passed: row.passed, people: row.people })
              ),
          },
          {
            heading: w.askedBy,
            cell: (row) => (row.standing ? w.byItself : (row.askedBy?.displayName ?? w.gone)),
          },
          {
            heading: w.change,
            cell: (row) => (
              <Row>
                {row.via === 'file' && row.unprinted + row.unopened > 0 && (
                  <Button look="quiet" calls="invitationRounds.merge" onPress={() => setMerging(row)}>
                    {row.unprinted > 0 ? say(w.merge, { unprinted: row.unprinted }) : w.mergeAnew}
                  </Button>
                )}
                {row.via === 'letter' && row.unprinted > 0 && (
                  <Button look="quiet" calls="invitationRounds.print" onPress={() => setPrinting(row)}>
                    {say(w.print, { unprinted: row.unprinted })}
                  </Button>
                )}
                {passedOver(row) > 0 && (
                  <Button look="quiet" onPress={() => setPassed(row)}>
                    {say(w.passedOver, { people: passedOver(row) })}
                  </Button>
                )}
              </Row>
            ),
          },
        ]}
      />
      {passed && <PassedOver round={passed} onClose={() => setPassed(undefined)} />}
      {merging && <MergeDialog round={merging} onClose={() => setMerging(undefined)} />}
      {printing && (
        <Print
          round={printing}
          onClose={() => setPrinting(undefined)}
          onPrinted={(printed) => {
            setPrinting(undefined);
            setLetters(printed);
          }}
        />
      )}
      {letters && <LettersDialog printed={letters} onDone={() => setLetters(undefined)} />}
    </Section>
  );
}

function Print({
  round,
  onClose,
  onPrinted,
}: {
  round: Round;
  onClose: () => void;
  onPrinted: (printed: Printed) => void;
}) {
  const act = useAct<undefined, Printed>(() => call('invitationRounds.print', { params: { id: round.id } }), onPrinted);
  const title = say(w.print, { unprinted: round.unprinted });
  return (
    <FormDialog title={title} act={act} onClose={onClose} finish={title}>
      <p>{w.lettersHint}</p>
    </FormDialog>
  );
}

function PassedOver({ round, onClose }: { round: Round; onClose: () => void }) {
  const { data } = useRead('invitationRounds.people', { params: { id: round.id }, query: { limit: 200 } });
  const rows = (data?.rows ?? []).filter(({ outcome }) => outcome !== null && outcome !== 'invited');
  return (
    <Dialog title={w.passedTitle} onClose={onClose}>
      <ul>
        {rows.map(({ person, outcome }) => (
          <li key={person.id}>
            <Link to={`/people/${person.id}`}>{person.displayName}</Link>: {shared.invitingOutcomes[outcome!]}
          </li>
        ))}
      </ul>
      {data?.next && <Small>{say(w.more, { count: rows.length })}</Small>}
      <Row>
        <Button onPress={onClose}>{words.act.close}</Button>
      </Row>
    </Dialog>
  );
}

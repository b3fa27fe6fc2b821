import { sayConsequence, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Difference } from '../../frame/components/difference.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Row, Section, Small, Soft, Spread, State } from '../../frame/components/layout.js';
import { PagedTable } from '../../frame/components/paged-table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { rulebookWords } from '../rulebook/messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { colour, space } from '../../frame/theme/tokens.js';

const w = words.signatures;
type Signature = Answer<'signatures.list'>['rows'][number];

const List = styled.ul`
  list-style: none;
  display: grid;
  li {
    display: grid;
    gap: ${space.small};
    padding: ${space.base} 0;
    border-bottom: 1px solid ${colour.line};
  }
`;

/** What waits for a second administrator's yes, and what became of the latest. */
export function Signatures() {
  const [decided, setDecided] = useState(false);
  const { data, error } = useRead('signatures.list', {
    query: { limit: 20, ...(decided ? {} : { waiting: 'true' as const }) },
  });
  return (
    <Section aria-labelledby="signatures">
      <Spread>
        <h2 id="signatures">{w.title}</h2>
        <Button look="quiet" onPress={() => setDecided(!decided)}>
          {decided ? w.waitingOnly : w.decidedToo}
        </Button>
      </Spread>
      <p>
        <Soft>{w.hint}</Soft>
      </p>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data?.rows.length === 0 && <p>{w.none}</p>}
      {data && data.rows.length > 0 && (
        <List>
          {data.rows.map((one) => (
            <li key={one.id}>
              <One signature={one} />
            </li>
          ))}
        </List>
      )}
    </Section>
  );
}

const TONES = {
  open: 'held',
  given: 'good',
  done: 'good',
  refused: 'ended',
  withdrawn: 'ended',
  expired: 'ended',
  overtaken: 'ended',
} as const;

function One({ signature }: { signature: Signature }) {
  const [open, setOpen] = useState<'give' | 'refuse'>();
  const { consequence, askedBy, decidedBy, state } = signature;
  const sentence = sayConsequence(shared, consequence);
  const close = () => setOpen(undefined);
  const withdraw = useAct<undefined, unknown>(() => call('signatures.withdraw', { params: { id: signature.id } }));
  return (
    <>
      <Row>
        <strong>{sentence}</strong>
        <State tone={TONES[state]}>{shared.signatureStates[state]}</State>
      </Row>
      <span>
        {say(w.askedBy, { name: askedBy.displayName ?? words.none })} <Time at={signature.askedAt} />
        {decidedBy && (
          <>
            {'; '}
            {say(w.decidedBy, { name: decidedBy.displayName ?? words.none })} <Time at={signature.decidedAt} />
          </>
        )}
        {signature.reason && `: ${signature.reason}`}
      </span>
      <Next signature={signature} />
      {(signature.maySign || (signature.mine && (state === 'open' || state === 'given'))) && (
        <Row>
          {signature.maySign && (
            <>
              <Button look="main" onPress={() => setOpen('give')}>
                {w.give}
              </Button>
              <Button onPress={() => setOpen('refuse')}>{w.refuse}</Button>
            </>
          )}
          {signature.mine && (
            <Button look="quiet" onPress={() => withdraw.mutate(undefined)}>
              {w.withdraw}
            </Button>
          )}
        </Row>
      )}
      {withdraw.trouble && <Banner $tone="danger">{withdraw.trouble.text}</Banner>}
      {open === 'give' && <Give signature={signature} sentence={sentence} onClose={close} />}
      {open === 'refuse' && <Refuse signature={signature} sentence={sentence} onClose={close} />}
    </>
  );
}

/** What whoever asked can do now. */
function Next({ signature: { mine, state, ripeAt, expiresAt } }: { signature: Signature }) {
  if (state === 'given' && mine)
    return (
      <span>
        {w.doItAgain} <Time at={expiresAt} />
      </span>
    );
  if (state === 'overtaken') return mine ? <span>{w.askAnew}</span> : null;
  if (state !== 'open') return null;
  if (ripeAt === null || !mine)
    return (
      <Soft>
        {w.runsOut} <Time at={expiresAt} />
      </Soft>
    );
  return (
    <span>
      {w.alone} <Time at={ripeAt} />
    </span>
  );
}

function Give({ signature, sentence, onClose }: { signature: Signature; sentence: string; onClose: () => void }) {
  const name = signature.askedBy.displayName ?? '';
  const { data, error } = useRead('signatures.show', { params: { id: signature.id } });
  const act = useAct<undefined, unknown>(
    () => call('signatures.give', { params: { id: signature.id } }),
    () => {
      onClose();
      toast(say(w.given, { name }));
    },
  );
  return (
    <FormDialog
      title={w.giveTitle}
      act={{ ...act, isPending: act.isPending || !data }}
      onClose={onClose}
      finish={w.give}
    >
      <p>
        <strong>{sentence}</strong>
      </p>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data ? <Matter id={data.id} {...data.matter} /> : <p>{words.loading}</p>}
      <p>{say(w.giveText, { name })}</p>
    </FormDialog>
  );
}

/** Everybody whom it concerns, with where they would no longer get in. */
function Concerned({ id }: { id: string }) {
  return (
    <PagedTable
      queryKey={['signatures', 'signatures.people', id]}
      read={(query) => call('signatures.people', { params: { id }, query })}
      label={w.concerns}
      keyOf={(one) => one.id}
      columns={[
        {
          heading: rulebookWords.rulebook.name,
          cell: (one) => <Link to={`/people/${one.id}`}>{one.displayName}</Link>,
        },
        { heading: rulebookWords.rulebook.noLonger, cell: (one) => one.applications.join(', ') || words.none },
      ]}
    />
  );
}

/** All that whoever signs agrees to beside the sentence: what was said of it, whom it concerns, what changes. */
function Matter({ id, message, listed, unnamed, difference }: { id: string } & Answer<'signatures.show'>['matter']) {
  return (
    <>
      {message !== null && <p>{say(w.saysOfIt, { message })}</p>}
      {listed > 0 && <Concerned id={id} />}
      {unnamed > 0 && <Small>{say(rulebookWords.rulebook.andMore, { count: unnamed })}</Small>}
      {difference.length > 0 && <Difference label={w.changes} lines={difference} />}
    </>
  );
}

function Refuse({ signature, sentence, onClose }: { signature: Signature; sentence: string; onClose: () => void }) {
  const [reason, setReason] = useState('');
  const act = useAct<undefined, unknown>(
    () => call('signatures.refuse', { params: { id: signature.id }, body: { reason } }),
    onClose,
  );
  return (
    <FormDialog title={w.refuseTitle} act={act} onClose={onClose} finish={w.refuse}>
      <p>
        <strong>{sentence}</strong>
      </p>
      <TextField
        label={w.reason}
        description={w.reasonHint}
        value={reason}
        onChange={setReason}
        problem={act.trouble?.fields['reason']}
        autoFocus
      />
    </FormDialog>
  );
}

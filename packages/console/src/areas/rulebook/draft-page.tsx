import { say as sayShared, type Answer } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { TextArea } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Page, Row, Section, Small, Spread, State } from '../../frame/components/layout.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { narrow, space } from '../../frame/theme/tokens.js';
import { Review } from './review.js';
import type { Edit } from './outcome-fields.js';
import { OtherwiseForm, RuleForm } from './rule-form.js';
import { Sentences, type ShownRule } from './sentences.js';

const w = rulebookWords.rulebook;
type Draft = Answer<'rulebookDraft.show'>;
type Checked = Answer<'rulebook.check'>;

const Panes = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: ${space.wide};
  align-items: start;
  ${narrow} {
    grid-template-columns: minmax(0, 1fr);
  }
`;
const Pane = styled.section`
  display: grid;
  gap: ${space.snug};
  min-width: 0;
`;

export function DraftPage() {
  const { data, error } = useRead('rulebookDraft.show');
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!data) return <Page aria-busy="true">{words.loading}</Page>;
  return <Editor draft={data} />;
}

/** The value as it was some moments ago: not every letter is worth a question. */
function useLagging<T>(value: T, ms: number): T {
  const [lagging, setLagging] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLagging(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return lagging;
}

function Editor({ draft }: { draft: Draft }) {
  const [text, setText] = useState(draft.text);
  const [dialog, setDialog] = useState<'publish' | 'discard'>();
  const [editing, setEditing] = useState<{ at: number; rule?: ShownRule } | 'otherwise'>();
  const area = useRef<HTMLTextAreaElement>(null);
  const asked = useLagging(text, 350);
  const check = useQuery({
    queryKey: ['rulebook', 'rulebook.check', asked],
    queryFn: () => call('rulebook.check', { body: { text: asked } }),
    placeholderData: (before) => before,
    staleTime: Infinity,
  });
  const save = useAct((typed: string) => call('rulebookDraft.save', { body: { text: typed }, ifMatch: draft.version }));
  const edit = useAct(
    (change: Edit) => call('rulebook.edit', { body: { text, edit: change } }),
    (answer) => setText(answer.text),
  );
  const change = (wanted: Edit) => edit.mutate(wanted);
  const checked: Checked | undefined = check.data;
  const kept = draft.begun && text === draft.text;
  const trouble = save.trouble ?? edit.trouble ?? (check.error ? troubleOf(check.error) : undefined);
  const goTo = (line: number, column: number) => {
    const at =
      text
        .split('\n')
        .slice(0, line - 1)
        .join('\n').length +
      (line > 1 ? 1 : 0) +
      column -
      1;
    area.current?.focus();
    area.current?.setSelectionRange(at, at);
  };
  const rules = checked?.rulebook?.rules ?? [];
  return (
    <Page>
      <Spread>
        <h1>{w.draftTitle}</h1>
        <Row>
          <State tone={kept ? 'good' : 'open'}>{kept ? w.kept : w.unsaved}</State>
          <Button
            look={kept ? 'plain' : 'main'}
            isPending={save.isPending}
            isDisabled={kept}
            calls="rulebookDraft.save"
            onPress={() => save.mutate(text)}
          >
            {w.keep}
          </Button>
          <Button
            look={kept ? 'main' : 'plain'}
            isDisabled={!kept || !checked?.rulebook}
            calls="rulebook.publish"
            onPress={() => setDialog('publish')}
          >
            {w.publish}
          </Button>
          {draft.begun && (
            <Button look="danger" calls="rulebookDraft.discard" onPress={() => setDialog('discard')}>
              {w.discard}
            </Button>
          )}
        </Row>
      </Spread>
      <p>
        {w.draftHint} <Link to="/rulebook">{w.rules}</Link>
      </p>
      {trouble && (
        <Banner $tone="danger" role="alert">
          {trouble.text}
        </Banner>
      )}
      {!draft.begun && <Starters onChoose={setText} running={draft.text} />}
      <Panes>
        <Pane aria-labelledby="as-sentences">
          <Spread>
            <h2 id="as-sentences">{w.sentences}</h2>
            {checked?.rulebook && (
              <Button calls="rulebook.edit" onPress={() => setEditing({ at: rules.length })} isPending={edit.isPending}>
                {w.addRule}
              </Button>
            )}
          </Spread>
          {checked?.rulebook && (
            <Sentences
              rulebook={checked.rulebook}
              notes={(at) =>
                checked.findings
                  .filter((one) => one.rule === rules[at]!.name)
                  .map((one, i) => (
                    <Small key={i}>{`◐ ${sayShared(shared.rulebook.findings[one.what], one.facts)}`}</Small>
                  ))
              }
              tools={(rule, at) => (
                <>
                  <Button look="quiet" about={rule.name} calls="rulebook.edit" onPress={() => setEditing({ at, rule })}>
                    {w.editRule}
                  </Button>
                  {at > 0 && (
                    <Button
                      look="quiet"
                      about={rule.name}
                      calls="rulebook.edit"
                      onPress={() => change({ kind: 'move', at, to: at - 1 })}
                    >
                      {w.up}
                    </Button>
                  )}
                  {at < rules.length - 1 && (
                    <Button
                      look="quiet"
                      about={rule.name}
                      calls="rulebook.edit"
                      onPress={() => change({ kind: 'move', at, to: at + 1 })}
                    >
                      {w.down}
                    </Button>
                  )}
                  <Button
                    look="quiet"
                    about={rule.name}
                    calls="rulebook.edit"
                    onPress={() => change({ kind: 'remove', at })}
                  >
                    {w.remove}
                  </Button>
                </>
              )}
              otherwiseTools={
                <Button look="quiet" about={w.otherwise} calls="rulebook.edit" onPress={() => setEditing('otherwise')}>
                  {w.editRule}
                </Button>
              }
            />
          )}
          {checked && !checked.rulebook && <p>{w.mend}</p>}
        </Pane>
        <Pane aria-labelledby="as-text">
          <h2 id="as-text">{w.text}</h2>
          {checked && checked.problems.length > 0 && (
            <Banner $tone="danger" role="alert">
              <div>
                <strong>{w.wrong}</strong>
                {checked.problems.map(({ line, column, what, facts }, i) => (
                  <Row key={i}>
                    <span>
                      {say(w.at, { line, column })}: {sayShared(shared.rulebook.problems[what], facts)}
                    </span>
                    <Button look="quiet" onPress={() => goTo(line, column)}>
                      {w.toLine}
                    </Button>
                  </Row>
                ))}
              </div>
            </Banner>
          )}
          <TextArea label={w.text} heard code rows={32} value={text} onChange={setText} inputRef={area} />
        </Pane>
      </Panes>
      {kept && checked?.rulebook ? (
        <Review key={draft.version} />
      ) : (
        <Section>
          <h2>{w.review}</h2>
          <p>{w.keepFirst}</p>
        </Section>
      )}
      {editing === 'otherwise' && checked?.rulebook && (
        <OtherwiseForm
          text={text}
          otherwise={checked.rulebook.otherwise}
          onClose={() => setEditing(undefined)}
          onDone={setText}
        />
      )}
      {editing && editing !== 'otherwise' && (
        <RuleForm
          text={text}
          at={editing.at}
          rule={editing.rule}
          onClose={() => setEditing(undefined)}
          onDone={setText}
        />
      )}
      {dialog === 'publish' && <Publish onClose={() => setDialog(undefined)} />}
      {dialog === 'discard' && (
        <Discard
          onClose={() => setDialog(undefined)}
          onDone={() => {
            setDialog(undefined);
            toast(w.discarded);
          }}
        />
      )}
    </Page>
  );
}

/** Where nothing is begun, a text to begin from. */
function Starters({ onChoose, running }: { onChoose: (text: string) => void; running: string }) {
  const { data } = useRead('rulebook.starters');
  const [chosen, setChosen] = useState('own');
  if (!data) return null;
  return (
    <Select
      label={w.starter}
      value={chosen}
      onChange={(id) => {
        setChosen(id);
        onChoose(data.rows.find((row) => row.name === id)?.text ?? running);
      }}
      options={[{ id: 'own', text: w.own }, ...data.rows.map((row) => ({ id: row.name, text: w.starters[row.name] }))]}
    />
  );
}

function Publish({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const { data } = useRead('rulebookDraft.review');
  const [message, setMessage] = useState('');
  const act = useAct<undefined, Answer<'rulebook.publish'>>(
    () =>
      call('rulebook.publish', {
        body: { message, lockedOut: data?.lockedOut.people ?? 0, loosened: data?.loosened.people ?? 0 },
        idempotencyKey: crypto.randomUUID(),
      }),
    ({ number }) => {
      toast(say(w.publishDone, { number }));
      void navigate('/rulebook');
    },
  );
  if (!data) return null;
  const { version: number, lockedOut, loosened } = data;
  return (
    <FormDialog
      title={say(w.publishTitle, { number })}
      act={act}
      onClose={onClose}
      finish={w.publish}
      danger={lockedOut.people > 0}
    >
      <p>{say(w.publishText, { people: lockedOut.people })}</p>
      {loosened.people > 0 && (
        <p>
          <strong>{say(w.publishLoosens, { people: loosened.people })}</strong>
        </p>
      )}
      <TextArea
        label={w.publishMessage}
        rows={3}
        value={message}
        onChange={setMessage}
        problem={act.trouble?.fields['message']}
        autoFocus
      />
    </FormDialog>
  );
}

function Discard({ onClose, onDone }: { onClose: () => void; onDone: () => void }) {
  const navigate = useNavigate();
  const act = useAct<undefined, unknown>(
    () => call('rulebookDraft.discard'),
    () => {
      onDone();
      void navigate('/rulebook');
    },
  );
  return (
    <FormDialog title={w.discard} act={act} onClose={onClose} finish={w.discard} danger>
      <p>{w.discardText}</p>
    </FormDialog>
  );
}

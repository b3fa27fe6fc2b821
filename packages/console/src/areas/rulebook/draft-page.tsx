import { say as sayShared, type Answer } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import type { CodeEditorHandle } from '../../frame/components/code-editor/index.js';
import { Select } from '../../frame/components/choices.js';
import { TextArea } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Page, Row, Small, Spread, State } from '../../frame/components/layout.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { narrow, size, space } from '../../frame/theme/tokens.js';
import { DraftRules } from './draft-rules.js';
import { Review } from './review.js';
import type { Edit } from './outcome-fields.js';
import { OtherwiseForm, RuleForm } from './rule-form.js';
import { placeInLines, ruleLines } from './text/rule-lines.js';

/** As large as the rest of the page together: it comes when there is a text to show. */
const RulebookText = lazy(async () => await import('./text/rulebook-text.js'));

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
/** Beside the rules however far one has gone down them. */
const Beside = styled(Pane)`
  position: sticky;
  top: ${space.base};
  max-height: calc(100vh - 2 * ${space.base});
  grid-template-rows: auto minmax(${size.rule}, 1fr);
  overflow-y: auto;
  ${narrow} {
    position: static;
    max-height: none;
  }
`;
const Effects = styled(Pane)`
  gap: ${space.tight};
`;
/** As high as what is left of the window, and never so low that nothing could be read in it. */
const Text = styled(Pane)`
  grid-template-rows: auto auto minmax(${size.editor}, 1fr);
  min-height: 0;
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

/** What is wrong with a text, each as a sentence. */
const problemsOf = (checked: Checked | undefined) =>
  (checked?.problems ?? []).map(({ line, column, what, facts }) => ({
    line,
    column,
    text: sayShared(shared.rulebook.problems[what], facts),
  }));

function Editor({ draft }: { draft: Draft }) {
  const [text, setText] = useState(draft.text);
  const [dialog, setDialog] = useState<'publish' | 'discard'>();
  const [editing, setEditing] = useState<number | 'otherwise'>();
  const [marked, setMarked] = useState<number>();
  const editor = useRef<CodeEditorHandle>(null);
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
    (answer, { kind }) => {
      const before = text;
      setText(answer.text);
      if (kind === 'remove') toast(w.removed, () => Promise.resolve(setText(before)));
    },
  );
  const checked: Checked | undefined = check.data;
  const problems = useMemo(() => problemsOf(checked), [checked]);
  const lines = useMemo(() => ruleLines(text), [text]);
  const kept = draft.begun && text === draft.text;
  const trouble = save.trouble ?? edit.trouble ?? (check.error ? troubleOf(check.error) : undefined);
  const rulebook = checked?.rulebook;
  const rules = rulebook?.rules ?? [];
  const mark = (at: number) => {
    setMarked(at);
    const [line] = lines[at] ?? [];
    if (line !== undefined) editor.current?.show(line);
  };
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
            isDisabled={!kept || !rulebook}
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
            {rulebook && (
              <Button calls="rulebook.edit" onPress={() => setEditing(rules.length)} isPending={edit.isPending}>
                {w.addRule}
              </Button>
            )}
          </Spread>
          {rulebook && (
            <DraftRules
              rulebook={rulebook}
              findings={checked.findings}
              marked={marked}
              onMark={mark}
              onChange={edit.mutate}
              onEdit={setEditing}
            />
          )}
          {checked && !rulebook && <p>{w.mend}</p>}
        </Pane>
        <Beside>
          <Effects aria-labelledby="would-do">
            <h2 id="would-do">{w.wouldDo}</h2>
            {kept && rulebook ? <Review key={draft.version} /> : <Small>{w.keepFirst}</Small>}
          </Effects>
          <Text aria-labelledby="as-text">
            <h2 id="as-text">{w.text}</h2>
            {problems.length > 0 ? (
              <Banner $tone="danger" role="alert">
                <div>
                  <strong>{w.wrong}</strong>
                  {problems.map((one, i) => (
                    <Row key={i}>
                      <span>
                        {say(w.at, { line: one.line, column: one.column })}: {one.text}
                      </span>
                      <Button look="quiet" onPress={() => editor.current?.goTo(one)}>
                        {w.toLine}
                      </Button>
                    </Row>
                  ))}
                </div>
              </Banner>
            ) : (
              <Small>{w.textHint}</Small>
            )}
            <Suspense fallback={<p aria-busy="true">{words.loading}</p>}>
              <RulebookText
                value={text}
                onChange={setText}
                problems={problems}
                marked={marked === undefined ? undefined : lines[marked]}
                onLine={(line) => setMarked(placeInLines(lines, line))}
                ref={editor}
              />
            </Suspense>
          </Text>
        </Beside>
      </Panes>
      {editing === 'otherwise' && rulebook && (
        <OtherwiseForm
          text={text}
          otherwise={rulebook.otherwise}
          onClose={() => setEditing(undefined)}
          onDone={setText}
        />
      )}
      {typeof editing === 'number' && (
        <RuleForm
          text={text}
          at={editing}
          rule={rules[editing]}
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

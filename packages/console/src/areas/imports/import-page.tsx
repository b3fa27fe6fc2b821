import { sayFindings, type Answer } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Page, Row, Section, Soft, Spread, State } from '../../frame/components/layout.js';
import { Progress } from '../../frame/components/progress.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { importsWords } from './messages/index.js';
import { call, troubleOf, useAct } from '../../frame/session/api.js';
import { space } from '../../frame/theme/tokens.js';
import { ImportColumns } from './import-columns.js';
import { ImportRows } from './import-rows.js';
import { BackToImports } from './imports-page.js';
import { STATE_TONES } from './tones.js';

const w = importsWords.imports;
export type Import = Answer<'imports.show'>;

const Lines = styled.ul`
  margin: 0;
  padding-inline-start: ${space.base};
`;

const working = (one: Import | undefined) => one?.state === 'checking' || one?.state === 'applying';
const number = (value: number) => value.toLocaleString(locale);

/** One import, from its columns to its outcome; what it shows follows from its state, so it can be left at any time. */
export function ImportPage() {
  const { id = '' } = useParams();
  const { data: one, error } = useQuery({
    queryKey: ['imports', 'imports.show', id],
    queryFn: () => call('imports.show', { params: { id } }),
    refetchInterval: ({ state }) => (working(state.data) ? 700 : false),
  });
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
        <BackToImports />
      </Page>
    );
  if (!one) return <Page aria-busy="true">{words.loading}</Page>;
  return (
    <Page>
      <Soft>
        <BackToImports />
      </Soft>
      <Spread>
        <Row>
          <h1>{one.fileName}</h1>
          <State tone={STATE_TONES[one.state]}>{shared.importStates[one.state]}</State>
        </Row>
        {!working(one) && <Discard one={one} />}
      </Spread>
      <Soft>
        {say(one.kind === 'keys' ? w.keyFacts : w.facts, {
          rows: number(one.rows),
          encoding: one.encoding,
          delimiter: w.delimiters[one.delimiter],
        })}
        {one.mapping && ` · ${say(w.byMapping, { name: one.mapping.name })}`}
      </Soft>
      {one.dryRun && <Banner>{w.dryRun}</Banner>}
      {one.problem && <Banner $tone="danger">{shared.importProblems[one.problem]}</Banner>}
      {working(one) && <Working one={one} />}
      {one.counts && !working(one) && <Result one={one} />}
      {(one.state === 'staged' || one.state === 'checked') && <ImportColumns key={one.version} one={one} />}
    </Page>
  );
}

function Working({ one }: { one: Import }) {
  const stop = useAct(() => call('imports.stop', { params: { id: one.id } }));
  const { done, total } = one.progress;
  const sentence = one.state === 'checking' ? w.checkingRows : w.writingRows;
  return (
    <Section aria-label={shared.importStates[one.state]}>
      <Progress label={say(sentence, { done: number(done), total: number(total) })} done={done} total={total} />
      <Row>
        <Soft>{w.leave}</Soft>
        {one.state === 'applying' && (
          <Button calls="imports.stop" onPress={() => stop.mutate(undefined)}>
            {w.stop}
          </Button>
        )}
      </Row>
      {stop.trouble && <Banner $tone="danger">{stop.trouble.text}</Banner>}
    </Section>
  );
}

/** What the rows come to, or came to, and what can be done next. */
function Result({ one }: { one: Import }) {
  const [writing, setWriting] = useState(false);
  const counts = one.counts!;
  const written = one.outcome !== null;
  const todo =
    counts.new + counts.changed + counts.returning + (one.rules.missing === 'deactivate' ? counts.missing : 0);
  const left = (one.outcome?.refused ?? counts.refused) + (one.outcome?.overtaken ?? 0);
  return (
    <Section aria-labelledby="result">
      <Spread>
        <h2 id="result">{written ? w.outcomeTitle : w.previewTitle}</h2>
        <Row>
          {left > 0 && (
            <a href={`/api/v1/imports/${one.id}/report`} download={w.reportFile}>
              {say(w.report, { count: number(left) })}
            </a>
          )}
          {one.state === 'checked' && todo > 0 && (
            <Button look="main" calls="imports.apply" onPress={() => setWriting(true)}>
              {w.write}
            </Button>
          )}
          {one.state === 'stopped' && (
            <Button look="main" calls="imports.apply" onPress={() => setWriting(true)}>
              {w.resume}
            </Button>
          )}
        </Row>
      </Spread>
      {one.state === 'checked' && todo === 0 && counts.refused === 0 && <p>{w.nothingToDo}</p>}
      {!written && one.newGroups.length > 0 && <p>{say(w.newGroups, { names: one.newGroups.join(', ') })}</p>}
      {(one.outcome?.overtaken ?? 0) > 0 && <p>{say(w.overtaken, { count: number(one.outcome!.overtaken) })}</p>}
      <Findings one={one} />
      <ImportRows one={one} />
      {writing && <Write one={one} onClose={() => setWriting(false)} />}
    </Section>
  );
}

/** What the file is as a whole, and what of it is dropped. */
function Findings({ one }: { one: Import }) {
  const lines = sayFindings(shared, one);
  if (lines.length === 0) return null;
  // What is dropped or assumed is to be seen before the rows.
  const careful = one.unused.length > 0 || one.cleared > 0 || one.makeup.some(({ assumed }) => assumed.length > 0);
  return (
    <Banner $tone={careful ? 'brass' : 'good'} role="note" aria-label={w.findings}>
      <Lines>
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </Lines>
    </Banner>
  );
}

/** Says in numbers what is about to happen, then has it done. */
function Write({ one, onClose }: { one: Import; onClose: () => void }) {
  const counts = one.counts!;
  const [skip, setSkip] = useState<'skip'[]>([]);
  const act = useAct<undefined, unknown>(
    () =>
      call('imports.apply', {
        params: { id: one.id },
        // Whoever presses this has read the number.
        body: { skipBad: skip.length > 0, missingMost: counts.missing, clearMost: one.cleared },
        ifMatch: one.version,
      }),
    onClose,
  );
  const stops = one.rules.missing === 'deactivate' && counts.missing > 0;
  return (
    <FormDialog
      title={say(w.writeTitle, { name: one.fileName })}
      act={act}
      onClose={onClose}
      finish={one.state === 'stopped' ? words.act.goOn : w.writeAct}
      danger={stops}
    >
      <p>
        {say({ people: w.writePeople, groups: w.writeGroups, tokens: w.writeTokens, keys: w.writeKeys }[one.kind], {
          new: number(counts.new),
          changed: number(counts.changed),
        })}
      </p>
      {counts.returning > 0 && (
        <p>{say(one.kind === 'tokens' ? w.writeAgain : w.writeReturning, { count: number(counts.returning) })}</p>
      )}
      {one.cleared > 0 && (
        <p>
          <strong>{say(shared.findings.cleared, { count: one.cleared })}</strong>
        </p>
      )}
      {stops && (
        <p>
          <strong>{say(counts.refused > 0 ? w.keepMissing : w.writeMissing, { count: number(counts.missing) })}</strong>
        </p>
      )}
      {counts.refused > 0 && (
        <CheckboxGroup
          label={say(w.refusedRows, { count: number(counts.refused) })}
          options={[{ id: 'skip', text: w.skip }]}
          value={skip}
          onChange={setSkip}
        />
      )}
    </FormDialog>
  );
}

function Discard({ one }: { one: Import }) {
  const navigate = useNavigate();
  const [asked, setAsked] = useState(false);
  const act = useAct<undefined, unknown>(
    () => call('imports.discard', { params: { id: one.id } }),
    () => void navigate('/imports'),
  );
  return (
    <>
      <Button calls="imports.discard" onPress={() => setAsked(true)}>
        {w.discard}
      </Button>
      {asked && (
        <FormDialog
          title={say(w.discardTitle, { name: one.fileName })}
          act={act}
          onClose={() => setAsked(false)}
          finish={w.discard}
          danger
        >
          <p>{one.outcome ? w.discardWritten : w.discardText}</p>
        </FormDialog>
      )}
    </>
  );
}

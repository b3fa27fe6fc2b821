import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Story } from './story.js';
import { OUTCOME_TONES } from './activity-table.js';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { Form, TextField } from '../../frame/components/text-fields.js';
import { WholeTrouble } from '../../frame/components/whole-trouble.js';
import { Empty, Page, Row, Section, State } from '../../frame/components/layout.js';
import type { PromptWords } from '../../frame/prompts/prompt-field.js';
import { PromptForm } from '../../frame/prompts/prompt-form.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { applicationsWords } from '../applications/messages/index.js';
import { signinsWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';

type Walk = Answer<'walkThroughs.begin'>;
const w = signinsWords.walk;

export function WalkThroughPage() {
  const [walk, setWalk] = useState<Walk>();
  return (
    <Page>
      <h1>{w.title}</h1>
      <p>{w.hint}</p>
      {walk ? <Going walk={walk} onStep={setWalk} onAgain={() => setWalk(undefined)} /> : <Begin onBegun={setWalk} />}
    </Page>
  );
}

function Begin({ onBegun }: { onBegun: (walk: Walk) => void }) {
  const applications = useRead('applications.list', { query: { limit: 200 } });
  const [chosen, setChosen] = useState('');
  const [loginName, setLoginName] = useState('');
  const [claims, setClaims] = useState<'passwordChecked'[]>([]);
  const rows = applications.data?.rows ?? [];
  const applicationId = chosen || (rows[0]?.id ?? '');
  const act = useAct(
    () =>
      call('walkThroughs.begin', {
        body: { applicationId, loginName, claims: claims.includes('passwordChecked') ? { passwordChecked: true } : {} },
        idempotencyKey: crypto.randomUUID(),
      }),
    onBegun,
  );
  if (applications.data && rows.length === 0)
    return <Empty title={applicationsWords.applications.emptyTitle} hint={w.noApplication} />;
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        act.mutate(undefined);
      }}
    >
      <WholeTrouble trouble={act.trouble} />
      <Select
        label={w.application}
        value={applicationId}
        onChange={setChosen}
        options={rows.map((row) => ({ id: row.id, text: row.name }))}
      />
      <TextField
        label={w.loginName}
        value={loginName}
        onChange={setLoginName}
        problem={act.trouble?.fields['loginName']}
        autoComplete="off"
      />
      <CheckboxGroup
        label={w.claims}
        options={[{ id: 'passwordChecked' as const, text: w.checked }]}
        value={claims}
        onChange={setClaims}
      />
      <Row>
        <Button look="main" type="submit" isPending={act.isPending} isDisabled={loginName === '' || rows.length === 0}>
          {w.begin}
        </Button>
      </Row>
    </Form>
  );
}

/** Prompts are named as what they ask for: whoever walks through is not whom they are for. */
const PROMPT_WORDS: PromptWords = {
  ...words.signIn,
  next: w.answer,
  finish: w.answer,
  instead: (kind) => say(words.signIn.instead, { prompt: shared.prompts[kind] }),
  fields: {
    password: { label: shared.prompts.password },
    'new-password': { label: shared.prompts['new-password'] },
    text: { label: shared.prompts.text },
    'new-pin': { label: shared.prompts['new-pin'] },
    code: { label: shared.prompts.code },
    'next-code': { label: shared.prompts['next-code'] },
  },
};

function Going({ walk, onStep, onAgain }: { walk: Walk; onStep: (walk: Walk) => void; onAgain: () => void }) {
  const { signIn, story } = walk;
  return (
    <>
      <Row>
        <State tone={OUTCOME_TONES[signIn.state]}>{shared.signInStates[signIn.state]}</State>
        <span>{signIn.way ?? (story.reason ? shared.reasons[story.reason] : '')}</span>
        {signIn.retryAt && (
          <span>{say(words.signIn.paused, { when: new Date(signIn.retryAt).toLocaleTimeString(locale) })}</span>
        )}
      </Row>
      {signIn.prompt && (
        <PromptForm
          key={`${signIn.prompt.kind} ${signIn.prompt.methods.join()}`}
          signIn={signIn}
          words={PROMPT_WORDS}
          onBehalf
          explain={(error) => troubleOf(error)?.text}
          sayStep={() => undefined}
          prove={async (proof) => {
            const next = await call('walkThroughs.prove', {
              params: { id: signIn.id },
              body: proof,
              idempotencyKey: crypto.randomUUID(),
            });
            onStep(next);
            return next.signIn;
          }}
        />
      )}
      <Row>
        <Button onPress={onAgain}>{w.again}</Button>
      </Row>
      <Section aria-labelledby="story">
        <h2 id="story">{w.story}</h2>
        <Story story={story} />
      </Section>
    </>
  );
}

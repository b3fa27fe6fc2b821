import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Story } from './story.js';
import { OUTCOME_TONES } from './activity-table.js';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Form, Select, TextField } from '../../frame/components/fields.js';
import { Banner, Empty, Page, Row, Section, State } from '../../frame/components/layout.js';
import { OtherWays } from '../../frame/session/other-ways.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { applicationsWords } from '../applications/messages/index.js';
import { signinsWords } from './messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';

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
      {act.trouble && Object.keys(act.trouble.fields).length === 0 && (
        <Banner $tone="danger">{act.trouble.text}</Banner>
      )}
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
        <Button look="main" type="submit" isDisabled={act.isPending || loginName === ''}>
          {w.begin}
        </Button>
      </Row>
    </Form>
  );
}

const TYPED = ['password', 'code', 'next-code', 'text'] as const;

function Going({ walk, onStep, onAgain }: { walk: Walk; onStep: (walk: Walk) => void; onAgain: () => void }) {
  const { signIn, story } = walk;
  const [value, setValue] = useState('');
  const kind = TYPED.find((one) => one === signIn.prompt?.kind) ?? 'code';
  const act = useAct(
    (other: string | undefined) =>
      call('walkThroughs.prove', {
        params: { id: signIn.id },
        body: other === undefined ? { kind, value } : { kind: 'choose', value: other },
        idempotencyKey: crypto.randomUUID(),
      }),
    (next) => {
      setValue('');
      onStep(next);
    },
  );
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
        <Form
          onSubmit={(event) => {
            event.preventDefault();
            act.mutate(undefined);
          }}
        >
          {act.trouble && <Banner $tone="danger">{act.trouble.text}</Banner>}
          <TextField
            key={`${kind}-${story.steps.length}`}
            label={shared.prompts[signIn.prompt.kind]}
            type={kind === 'password' || kind === 'text' ? 'password' : 'text'}
            code={kind === 'code' || kind === 'next-code'}
            value={value}
            onChange={setValue}
            autoFocus
            autoComplete="off"
          />
          <Row>
            <Button look="main" type="submit" isDisabled={act.isPending || value === ''}>
              {w.answer}
            </Button>
            <OtherWays others={signIn.prompt.others} onChoose={(method) => act.mutate(method)} />
          </Row>
        </Form>
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

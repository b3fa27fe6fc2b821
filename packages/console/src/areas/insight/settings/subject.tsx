import type { Answer } from '@nimble-latch/api';
import { useState, type ReactNode } from 'react';
import { NavLink } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../../frame/components/button.js';
import { Form } from '../../../frame/components/text-fields.js';
import { WholeTrouble } from '../../../frame/components/whole-trouble.js';
import { Banner, Page, Row, Soft } from '../../../frame/components/layout.js';
import { words } from '../../../frame/messages/index.js';
import { insightWords } from '../messages/index.js';
import { call, troubleOf, useAct, useRead, type Trouble } from '../../../frame/session/api.js';
import { useMayCall } from '../../../frame/session/context.js';
import { colour, space, type } from '../../../frame/theme/tokens.js';

const w = insightWords.settings;
export type Settings = Answer<'settings.show'>['settings'];

const Subjects = styled.nav`
  display: flex;
  flex-wrap: wrap;
  gap: ${space.tight} ${space.base};
  border-bottom: 1px solid ${colour.line};
  a {
    padding: ${space.small} 0;
    color: ${colour.ink};
    text-decoration: none;
  }
  a.active {
    font-weight: ${type.bold};
    box-shadow: inset 0 -3px 0 ${colour.brass};
  }
`;
const SUBJECTS = [
  ['/settings', w.subjects.organisation],
  ['/settings/phone-numbers', w.subjects.phoneNumbers],
  ['/settings/codes', w.subjects.codes],
  ['/settings/passwords', w.subjects.passwords],
  ['/settings/risk', w.subjects.risk],
  ['/settings/invitations', w.subjects.invitations],
  ['/settings/passes', w.subjects.passes],
] as const;

/** The fields of one subject: what is changed, and what is wrong with it. */
export interface SubjectFields<K extends keyof Settings> {
  readonly value: Settings[K];
  readonly onChange: (value: Settings[K]) => void;
  readonly trouble: Trouble | undefined;
}

/** One subject of the settings on a page of its own: what it means, and the form. What others set meanwhile is not written over. */
export function Subject<K extends keyof Settings>({
  of,
  title,
  hint,
  children,
}: {
  of: K;
  title: string;
  hint: string;
  children: (fields: SubjectFields<K>) => ReactNode;
}) {
  const { data, error } = useRead('settings.show');
  // Of the page, since the form is made anew with what was saved.
  const [saved, setSaved] = useState(false);
  return (
    <Page>
      <h1>{w.title}</h1>
      <Subjects aria-label={w.title}>
        {SUBJECTS.map(([to, name]) => (
          <NavLink key={to} to={to} end>
            {name}
          </NavLink>
        ))}
      </Subjects>
      <h2>{title}</h2>
      <Soft>{hint}</Soft>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {saved && (
        <Banner $tone="good" role="status">
          {w.saved}
        </Banner>
      )}
      {data && (
        <SubjectForm key={data.version} onSaved={setSaved} of={of} settings={data.settings} version={data.version}>
          {children}
        </SubjectForm>
      )}
    </Page>
  );
}

function SubjectForm<K extends keyof Settings>({
  of,
  settings,
  version,
  onSaved,
  children,
}: {
  of: K;
  onSaved: (saved: boolean) => void;
  settings: Settings;
  version: number;
  children: (fields: SubjectFields<K>) => ReactNode;
}) {
  const may = useMayCall()('settings.edit');
  const [value, setValue] = useState(settings[of]);
  const act = useAct(
    () => call('settings.edit', { body: { ...settings, [of]: value }, ifMatch: version }),
    () => onSaved(true),
  );
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        act.mutate(undefined);
      }}
    >
      <WholeTrouble trouble={act.trouble} />
      {children({
        value,
        onChange: (next) => {
          onSaved(false);
          setValue(next);
        },
        trouble: act.trouble,
      })}
      {may && (
        <Row>
          <Button look="main" type="submit" isPending={act.isPending}>
            {words.act.save}
          </Button>
        </Row>
      )}
    </Form>
  );
}

export const numbers = (values: readonly number[]) => values.map((n) => ({ id: String(n), text: String(n) }));

import type { Answer } from '@nimble-latch/api';
import { INVITATION_FIELDS } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../../../frame/components/button.js';
import { Select } from '../../../frame/components/choices.js';
import { Banner, Row, Small } from '../../../frame/components/layout.js';
import { TextArea, TextField } from '../../../frame/components/text-fields.js';
import { LANGUAGE_NAMES, say } from '../../../frame/messages/index.js';
import { call, troubleOf } from '../../../frame/session/api.js';
import { colour, radius, size, space } from '../../../frame/theme/tokens.js';
import { insightWords } from '../messages/index.js';
import { Subject, type SubjectFields } from './subject.js';

const w = insightWords.settings;
const NUMBERS = ['days', 'remindDays', 'reminders'] as const;
const LINES = 14;

const Fields = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(${size.bound}, 1fr));
  gap: ${space.base};
`;
const Text = styled.section`
  display: grid;
  gap: ${space.base};
`;
const Letter = styled.div`
  border: 1px solid ${colour.line};
  border-radius: ${radius.field};
  padding: ${space.base};
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

/** How long invitations live, when people are reminded, and what letters say. */
export function InvitationsPage() {
  return (
    <Subject of="invitations" title={w.subjects.invitations} hint={w.invitationsHint}>
      {(fields) => (
        <>
          <Fields>
            {NUMBERS.map((name) => (
              <TextField
                key={name}
                label={w.invitationNumbers[name]}
                inputMode="numeric"
                value={String(fields.value[name])}
                onChange={(typed) => fields.onChange({ ...fields.value, [name]: Number(typed.replace(/\D/g, '')) })}
                problem={fields.trouble?.fields[`invitations.${name}`]}
              />
            ))}
          </Fields>
          <Texts {...fields} />
        </>
      )}
    </Subject>
  );
}

type Preview = Answer<'invitations.previewText'>;

/** The text of a language, as it is written and as somebody would read it. */
function Texts({ value, onChange, trouble }: SubjectFields<'invitations'>) {
  const [language, setLanguage] = useState<'en' | 'de'>('en');
  const own = value.texts[language];
  const preview = useQuery<Preview>({
    queryKey: ['invitations', 'invitations.previewText', language, JSON.stringify(own)],
    queryFn: async () => await call('invitations.previewText', { body: { language, text: own } }),
    placeholderData: (before) => before,
    retry: false,
  });
  const shown = own ?? preview.data?.text ?? { subject: '', body: '' };
  const write = (text: typeof own) => onChange({ ...value, texts: { ...value.texts, [language]: text } });
  const at = `invitations.texts.${language}`;
  return (
    <Text aria-labelledby="texts">
      <h3 id="texts">{w.invitationTexts}</h3>
      <Select
        label={w.language}
        value={language}
        onChange={(id) => setLanguage(id as typeof language)}
        options={(['en', 'de'] as const).map((id) => ({ id, text: LANGUAGE_NAMES[id] }))}
      />
      <TextField
        label={w.invitationSubject}
        value={shown.subject}
        onChange={(subject) => write({ ...shown, subject })}
        problem={trouble?.fields[`${at}.subject`]}
      />
      <TextArea
        label={w.invitationBody}
        rows={LINES}
        value={shown.body}
        onChange={(body) => write({ ...shown, body })}
        problem={trouble?.fields[`${at}.body`]}
      />
      <Small>{say(w.invitationFields, { fields: INVITATION_FIELDS.map((field) => `{${field}}`).join(' ') })}</Small>
      {own && (
        <Row>
          <Button onPress={() => write(null)}>{w.invitationDelivered}</Button>
        </Row>
      )}
      <h4>{w.invitationPreview}</h4>
      {preview.error ? (
        <Banner $tone="danger">
          {Object.values(troubleOf(preview.error)?.fields ?? {}).join(' ') || troubleOf(preview.error)?.text}
        </Banner>
      ) : (
        preview.data && (
          <Letter aria-live="polite">
            <strong>{preview.data.subject}</strong>
            {`\n\n${preview.data.body}`}
          </Letter>
        )
      )}
    </Text>
  );
}

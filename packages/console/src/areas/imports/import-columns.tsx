import {
  COMMA_RULES,
  GROUP_COLUMNS,
  KEY_COLUMNS,
  OTP_ALGORITHMS,
  OWNER_PARTS,
  PEOPLE_COLUMNS,
  SECRET_ENCODINGS,
  TOKEN_COLUMNS,
  type Answer,
  type ColumnMeaning,
} from '@nimble-latch/api';
import { useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Form, TextField } from '../../frame/components/text-fields.js';
import { Banner, Row, Section, Soft } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { importsWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { colour, narrow, size, space } from '../../frame/theme/tokens.js';
import type { Import } from './import-page.js';

const w = importsWords.imports;

const Columns = styled.ul`
  list-style: none;
  padding: 0;
  display: grid;
  gap: ${space.small};
  li {
    display: grid;
    grid-template-columns: minmax(${size.filter}, 1fr) minmax(0, ${size.field}) minmax(0, 2fr);
    gap: ${space.base};
    align-items: center;
    border-bottom: 1px solid ${colour.line};
    padding-bottom: ${space.small};
  }
  li > span {
    overflow-wrap: anywhere;
  }
  ${narrow} {
    li {
      grid-template-columns: minmax(0, 1fr);
      gap: ${space.tight};
    }
  }
`;
const Rules = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(${size.rule}, 1fr));
  gap: ${space.base};
  align-items: start;
`;

/** Bytes are long, and nobody reads them to the end. */
const beginning = (text: string): string => (text.length > 24 ? `${text.slice(0, 20)} …` : text);

/** What the columns mean, what rules hold, and under which name that is kept; then every row is checked. */
export function ImportColumns({ one }: { one: Import }) {
  const [columns, setColumns] = useState<ColumnMeaning[]>(one.columns.map((column) => column.meaning));
  const [rules, setRules] = useState(one.rules);
  const [saveAs, setSaveAs] = useState(one.mapping?.name ?? '');
  const set = (change: Partial<typeof rules>) => setRules((before) => ({ ...before, ...change }));
  const act = useAct<undefined, Answer<'imports.check'>>(() =>
    call('imports.check', { params: { id: one.id }, body: { columns, rules, saveAs: saveAs.trim() || null } }),
  );
  const problems = act.trouble?.fields ?? {};
  const meanings: readonly ColumnMeaning[] = {
    people: PEOPLE_COLUMNS,
    groups: GROUP_COLUMNS,
    tokens: TOKEN_COLUMNS,
    keys: KEY_COLUMNS,
  }[one.kind];
  const options = meanings.map((id) => ({ id, text: shared.columnMeanings[id] }));
  const general = problems['columns'] ?? (act.trouble && Object.keys(problems).length === 0 ? act.trouble.text : '');
  return (
    <Section aria-labelledby="columns">
      <h2 id="columns">{w.columnsTitle}</h2>
      <Soft>{one.kind === 'keys' ? w.keyColumnsHint : one.kind === 'tokens' ? w.tokenColumnsHint : w.columnsHint}</Soft>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          act.mutate(undefined);
        }}
      >
        <Columns>
          {one.columns.map((column, i) => (
            <li key={column.name}>
              <strong>{column.name}</strong>
              {one.kind === 'keys' ? (
                <span>{shared.columnMeanings[column.meaning]}</span>
              ) : (
                <Select
                  heard
                  label={say(w.means, { column: column.name })}
                  value={columns[i]!}
                  onChange={(next) =>
                    setColumns((before) => before.map((old, at) => (at === i ? (next as ColumnMeaning) : old)))
                  }
                  options={options}
                />
              )}
              <Soft>
                {column.samples.map((sample) => (one.kind === 'keys' ? beginning(sample) : sample)).join(' · ')}
              </Soft>
            </li>
          ))}
        </Columns>
        {one.kind === 'people' && (
          <Rules>
            <TextField
              label={w.country}
              description={w.countryHint}
              value={rules.country ?? ''}
              onChange={(typed) => set({ country: typed.trim().toUpperCase() || null })}
              problem={problems['rules.country']}
            />
            <TextField
              label={w.language}
              value={rules.language}
              onChange={(language) => set({ language })}
              problem={problems['rules.language']}
            />
            <TextField
              label={w.timeZone}
              value={rules.timeZone}
              onChange={(timeZone) => set({ timeZone })}
              problem={problems['rules.timeZone']}
            />
            <Select
              label={w.emptyCells}
              value={rules.empty}
              onChange={(next) => set({ empty: next as 'keep' | 'clear' })}
              options={[
                { id: 'keep', text: w.emptyKeeps },
                { id: 'clear', text: w.emptyClears },
              ]}
            />
          </Rules>
        )}
        {(one.kind === 'people' || one.kind === 'groups') && (
          <Rules>
            <Select
              label={w.commas}
              value={rules.commas}
              onChange={(next) => set({ commas: next as 'ask' })}
              options={COMMA_RULES.map((id) => ({ id, text: w.commaRules[id] }))}
            />
          </Rules>
        )}
        {one.kind === 'tokens' && (
          <WholeFile whole={rules.whole} onChange={(whole) => set({ whole })} problems={problems} />
        )}
        {one.kind === 'tokens' && (
          <Rules>
            <Select
              label={w.secretsAs}
              value={rules.secrets}
              onChange={(next) => set({ secrets: next as 'hex' })}
              options={SECRET_ENCODINGS.map((id) => ({ id, text: id }))}
            />
            <Select
              label={w.ownerPart}
              value={rules.owners.part}
              onChange={(next) => set({ owners: { ...rules.owners, part: next as 'whole' } })}
              options={OWNER_PARTS.map((id) => ({ id, text: w.ownerParts[id] }))}
            />
            <TextField
              label={w.ownerAs}
              description={w.ownerAsHint}
              value={rules.owners.as}
              onChange={(as) => set({ owners: { ...rules.owners, as } })}
              problem={problems['rules.owners.as']}
            />
          </Rules>
        )}
        <Rules>
          <TextField
            label={w.saveAs}
            description={w.saveAsHint}
            value={saveAs}
            onChange={setSaveAs}
            problem={problems['saveAs']}
          />
          {one.kind === 'people' && (
            <div>
              <Select
                label={w.missing}
                value={rules.missing}
                onChange={(next) => set({ missing: next as 'keep' | 'deactivate' })}
                options={[
                  { id: 'keep', text: w.missingKeeps },
                  { id: 'deactivate', text: w.missingDeactivates },
                ]}
              />
              {problems['rules.missing'] && <Banner $tone="danger">{problems['rules.missing']}</Banner>}
            </div>
          )}
        </Rules>
        {general && (
          <Banner $tone="danger" role="alert">
            {general}
          </Banner>
        )}
        <Row>
          <Button look={one.state === 'staged' ? 'main' : 'plain'} type="submit" isPending={act.isPending}>
            {one.state === 'staged' ? w.check : w.checkAgain}
          </Button>
          <Soft>{w.checkHint}</Soft>
        </Row>
      </Form>
    </Section>
  );
}

type Whole = Import['rules']['whole'];

/** What every token of the file is, where the file itself does not say it. */
function WholeFile({
  whole,
  onChange,
  problems,
}: {
  whole: Whole;
  onChange: (whole: Whole) => void;
  problems: Readonly<Record<string, string>>;
}) {
  const choice = <K extends 'kind' | 'algorithm' | 'digits'>(
    name: K,
    label: string,
    values: readonly NonNullable<Whole[K]>[],
  ) => (
    <Select
      label={label}
      value={whole[name] === null ? NOT_SAID : String(whole[name])}
      onChange={(next) => onChange({ ...whole, [name]: values.find((value) => String(value) === next) ?? null })}
      options={[
        { id: NOT_SAID, text: w.notSaid },
        ...values.map((value) => ({ id: String(value), text: String(value) })),
      ]}
    />
  );
  return (
    <Rules role="group" aria-label={w.wholeTitle}>
      {choice('kind', w.wholeKind, ['totp', 'hotp'])}
      {choice('digits', w.wholeDigits, [6, 7, 8])}
      {choice('algorithm', w.wholeAlgorithm, OTP_ALGORITHMS)}
      <TextField
        label={w.wholePeriod}
        description={w.wholePeriodHint}
        inputMode="numeric"
        value={whole.period === null ? '' : String(whole.period)}
        onChange={(typed) => onChange({ ...whole, period: typed.trim() === '' ? null : Number(typed) || 0 })}
        problem={problems['rules.whole.period']}
      />
    </Rules>
  );
}

const NOT_SAID = 'not-said';

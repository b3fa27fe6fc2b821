import { COVERAGES, FIGURE_PERIODS, type FigurePeriod } from '@nimble-latch/api';
import type { ReactNode } from 'react';
import { useSearchParams } from 'react-router';
import { Chart } from '../../frame/charts/chart.js';
import type { FillName } from '../../frame/charts/looks.js';
import { Select } from '../../frame/components/choices.js';
import { Banner, Page, Section, Small } from '../../frame/components/layout.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { figuresWords as w } from './messages/index.js';

/** One picture with its heading; says so where it can't be read. */
function Picture({
  id,
  title,
  hint,
  error,
  loading,
  children,
}: {
  id: string;
  title: string;
  hint: string;
  error: unknown;
  loading: boolean;
  children: ReactNode;
}) {
  return (
    <Section aria-labelledby={id}>
      <h2 id={id}>{title}</h2>
      <Small>{hint}</Small>
      {error ? <Banner $tone="danger">{troubleOf(error)?.text}</Banner> : null}
      {loading ? <p aria-busy="true">{words.loading}</p> : children}
    </Section>
  );
}

const OUTCOMES = [
  ['let-in', 'good'],
  ['enrol-first', 'weak'],
  ['refused', 'bad'],
  ['expired', 'over'],
] as const satisfies readonly (readonly [string, FillName])[];

const periodOf = (asked: string | null): FigurePeriod => FIGURE_PERIODS.find((period) => period === asked) ?? 'month';

function SignIns() {
  const [asked, setAsked] = useSearchParams();
  const period = periodOf(asked.get('period'));
  const { data, error } = useRead('figures.signIns', { query: { period } });
  const days = period === 'month' || period === 'two-months';
  const short = new Intl.DateTimeFormat(locale, {
    timeZone: 'UTC',
    ...(days ? { day: 'numeric', month: 'short' } : { weekday: 'short', hour: '2-digit', minute: '2-digit' }),
  });
  const long = new Intl.DateTimeFormat(locale, {
    timeZone: 'UTC',
    dateStyle: 'full',
    ...(days ? {} : { timeStyle: 'short' }),
  });
  const rows = data?.rows.map(({ from, to, signIns }) => ({
    key: from,
    name: short.format(new Date(from)),
    said: long.format(new Date(from)),
    values: signIns,
    to: `/sign-ins?since=${from}&until=${to}`,
  }));
  const any = rows?.some(({ values }) => Object.values(values).some((n) => n > 0));
  return (
    <Picture id="sign-ins" title={w.signIns} hint={w.signInsHint} error={error} loading={!rows && !error}>
      <Select
        label={w.period}
        value={period}
        onChange={(next) => setAsked({ period: next }, { replace: true })}
        options={FIGURE_PERIODS.map((id) => ({ id, text: w.periods[id] }))}
      />
      {rows &&
        (any ? (
          <Chart
            label={w.signIns}
            of={w.stretch}
            rows={rows}
            series={OUTCOMES.map(([id, fill]) => ({ id, name: shared.signInStates[id], fill }))}
          />
        ) : (
          <p>{w.noSignIns}</p>
        ))}
    </Picture>
  );
}

const COVERED = { 'phishing-resistant': 'good', 'two-factors': 'fair', weak: 'weak', nothing: 'bad' } as const;

function Groups() {
  const { data, error } = useRead('figures.groups');
  const rows = data?.rows.map(({ group, coverage }) => ({
    key: group.id,
    name: group.name,
    said: group.name,
    values: coverage,
    to: `/people?group=${group.id}&state=active`,
  }));
  return (
    <Picture id="groups" title={w.groups} hint={w.groupsHint} error={error} loading={!rows && !error}>
      {rows?.length === 0 && <p>{w.noGroups}</p>}
      {rows && rows.length > 0 && (
        <>
          <Chart
            lying
            label={w.groups}
            of={w.group}
            rows={rows}
            series={COVERAGES.toReversed().map((id) => ({ id, name: shared.coverages[id], fill: COVERED[id] }))}
          />
          {data!.groups > rows.length && (
            <Small>{say(w.groupsMore, { shown: rows.length, groups: data!.groups })}</Small>
          )}
        </>
      )}
    </Picture>
  );
}

const STANDINGS = [
  ['in-use', 'good'],
  ['sent', 'fair'],
  ['assigned', 'fair'],
  ['in-stock', 'weak'],
  ['returned', 'over'],
] as const satisfies readonly (readonly [string, FillName])[];

function Tokens() {
  const { data, error } = useRead('figures.tokens');
  const rows = data?.rows.map(({ year, states }) => ({
    key: String(year),
    name: String(year),
    said: String(year),
    values: states,
  }));
  return (
    <Picture id="tokens" title={w.tokens} hint={w.tokensHint} error={error} loading={!rows && !error}>
      {rows &&
        (rows.length === 0 ? (
          <p>{w.noTokens}</p>
        ) : (
          <Chart
            label={w.tokens}
            of={w.year}
            rows={rows}
            series={STANDINGS.map(([id, fill]) => ({ id, name: shared.tokenStates[id], fill }))}
          />
        ))}
    </Picture>
  );
}

function Sources() {
  const { data, error } = useRead('figures.sources');
  const rows = data?.rows.map(({ network, letIn, others }) => ({
    key: network ?? '',
    name: network ?? w.elsewhere,
    said: network ?? w.elsewhere,
    values: { letIn, others },
  }));
  const hint = !data || data.all ? w.sourcesHint : w.sourcesLatest;
  return (
    <Picture
      id="sources"
      title={w.sources}
      hint={say(hint, { count: data?.signIns ?? 0 })}
      error={error}
      loading={!rows && !error}
    >
      {rows &&
        (rows.length === 0 ? (
          <p>{w.noSources}</p>
        ) : (
          <Chart
            lying
            label={w.sources}
            of={w.network}
            rows={rows}
            series={[
              { id: 'letIn', name: w.letIn, fill: 'good' },
              { id: 'others', name: w.others, fill: 'bad' },
            ]}
          />
        ))}
    </Picture>
  );
}

/** What administrators compare: sign-ins over time, groups, the age of tokens, networks. */
export function FiguresPage() {
  const may = useMayCall();
  return (
    <Page>
      <h1>{w.title}</h1>
      <p>{w.hint}</p>
      {may('figures.signIns') && <SignIns />}
      {may('figures.groups') && <Groups />}
      {may('figures.tokens') && <Tokens />}
      {may('figures.sources') && <Sources />}
    </Page>
  );
}

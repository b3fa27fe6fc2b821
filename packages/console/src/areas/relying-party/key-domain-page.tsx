import type { Answer } from '@nimble-latch/api';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Code, Facts, Page, Row, Small, Soft, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { say, words } from '../../frame/messages/index.js';
import { modelsWords } from '../models/messages/index.js';
import { relyingPartyWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';

const w = relyingPartyWords.keyDomain;
type Party = Answer<'relyingParty.show'>;

/** What passkeys and security keys are made for, and from where they may answer. */
export function KeyDomainPage() {
  const may = useMayCall()('relyingParty.edit');
  const { data, error } = useRead('relyingParty.show');
  const [changing, setChanging] = useState(false);
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!data) return <Page aria-busy="true">{words.loading}</Page>;
  const outside = data.origins.filter(({ related }) => related);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Row>
          <Link to="/key-models">{modelsWords.keyModels.title}</Link>
          {may && <Button onPress={() => setChanging(true)}>{w.change}</Button>}
        </Row>
      </Spread>
      <Soft>{w.hint}</Soft>
      {data.problem && <Banner $tone="danger">{say(w.problems[data.problem], { host: data.host })}</Banner>}
      {data.keysElsewhere > 0 && <Banner $tone="brass">{say(w.elsewhere, { keys: data.keysElsewhere })}</Banner>}
      <Facts>
        <dt>{w.domain}</dt>
        <dd>
          <Code>{data.rpId}</Code> {!data.chosen && <Small>{w.notChosen}</Small>}
        </dd>
        <dt>{w.keys}</dt>
        <dd>{data.keys}</dd>
        <dt>{w.ownPages}</dt>
        <dd>
          <Code>{data.origin}</Code>
        </dd>
        {data.appId !== null && (
          <>
            <dt>{w.appId}</dt>
            <dd>
              <Code>{data.appId}</Code>
            </dd>
          </>
        )}
      </Facts>
      {data.origins.length > 0 && (
        <Table
          label={w.origins}
          rows={data.origins}
          keyOf={(row) => row.origin}
          columns={[
            { heading: w.application, cell: (row) => row.application },
            { heading: w.origin, cell: (row) => <Code>{row.origin}</Code> },
            { heading: w.how, cell: (row) => (row.related ? w.related : w.within) },
          ]}
        />
      )}
      {outside.length > 0 && <Document party={data} />}
      {changing && <ChangeDomain party={data} onClose={() => setChanging(false)} />}
    </Page>
  );
}

/** Where browsers look, and what somebody has to serve there. */
function Document({ party }: { party: Party }) {
  return (
    <>
      {party.relatedLabels > party.relatedLabelsMost && (
        <Banner $tone="danger">
          {say(w.tooManyLabels, { labels: party.relatedLabels, most: party.relatedLabelsMost })}
        </Banner>
      )}
      <Small>
        {say(party.documentHere ? w.documentHere : w.documentThere, {
          document: party.document,
          ours: `${party.origin}/.well-known/webauthn`,
        })}
      </Small>
    </>
  );
}

const counted = ({ orphaned, people, withoutAnother, broughtBack }: Answer<'relyingParty.review'>) => ({
  orphaned,
  people,
  withoutAnother,
  broughtBack,
});

function ChangeDomain({ party, onClose }: { party: Party; onClose: () => void }) {
  const [rpId, setRpId] = useState(party.choices.some((one) => one.rpId === party.rpId) ? party.rpId : '');
  const [appId, setAppId] = useState(party.appId ?? '');
  const chosen = rpId || party.choices[0]?.rpId;
  const differs = chosen !== undefined && chosen !== party.rpId;
  const review = useReviewed(differs ? chosen : undefined);
  const act = useAct<undefined, unknown>(
    () =>
      call('relyingParty.edit', {
        body: { rpId: chosen!, appId: appId.trim() === '' ? null : appId.trim(), orphaned: review.data?.orphaned ?? 0 },
        ifMatch: party.version,
      }),
    onClose,
  );
  if (chosen === undefined)
    return (
      <FormDialog title={w.change} act={{ ...act, mutate: onClose }} onClose={onClose} finish={words.act.close}>
        <p>{say(w.problems.address, { host: party.host })}</p>
      </FormDialog>
    );
  return (
    <FormDialog
      title={w.change}
      act={{ ...act, isPending: act.isPending || (differs && !review.data) }}
      onClose={onClose}
      finish={
        differs && (review.data?.orphaned ?? 0) > 0
          ? say(w.changeAnyway, { keys: review.data!.orphaned })
          : words.act.save
      }
    >
      <p>{w.whatItMeans}</p>
      <Select
        label={w.domain}
        value={chosen}
        onChange={setRpId}
        options={party.choices.map((one) => ({
          id: one.rpId,
          text: say(one.wider ? w.wider : w.narrow, { domain: one.rpId }),
        }))}
      />
      {review.data && (
        <Banner $tone={review.data.orphaned > 0 ? 'danger' : 'good'} role="status">
          {review.data.orphaned > 0 ? say(w.orphans, { ...counted(review.data) }) : w.orphansNone}
          {review.data.broughtBack > 0 && ` ${say(w.broughtBack, { ...counted(review.data) })}`}
        </Banner>
      )}
      <TextField
        label={w.appId}
        description={w.appIdHint}
        value={appId}
        onChange={setAppId}
        problem={act.trouble?.fields['appId']}
      />
    </FormDialog>
  );
}

/** What another domain would mean, as soon as one is chosen. */
function useReviewed(rpId: string | undefined): { data: Answer<'relyingParty.review'> | undefined } {
  const { data } = useQuery({
    queryKey: ['relyingParty.review', rpId],
    queryFn: () => call('relyingParty.review', { body: { rpId: rpId! } }),
    enabled: rpId !== undefined,
  });
  return { data: rpId === undefined ? undefined : data };
}

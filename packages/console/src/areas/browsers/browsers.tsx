import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Fold } from '../../frame/components/fold.js';
import { Banner, Row, Soft } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say } from '../../frame/messages/index.js';
import { browsersWords } from './messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';

const w = browsersWords.browsers;

/** Where somebody is signed in by our pages, and which browsers are remembered. */
export function Browsers({ person }: { person: Answer<'people.show'> }) {
  return (
    <Fold id="browsers" title={w.title}>
      <BrowsersShown person={person} />
    </Fold>
  );
}

function BrowsersShown({ person: { id, displayName: name } }: { person: Answer<'people.show'> }) {
  const { data } = useRead('browsers.list', { params: { id } });
  const [ending, setEnding] = useState(false);
  const forget = useAct((browserId: string) => call('browsers.forget', { params: { id, browserId } }));
  const signOut = useAct<undefined, unknown>(
    () => call('browsers.signOut', { params: { id } }),
    () => {
      setEnding(false);
      toast(say(w.signedOut, { name }));
    },
  );
  if (!data) return null;
  const rows = [
    ...data.sessions.map((session, i) => ({
      key: `session ${i}`,
      label: session.label,
      what: w.session,
      since: session.startedAt,
      until: session.expiresAt,
      forget: undefined,
    })),
    ...data.browsers.map((browser) => ({
      key: browser.id,
      label: browser.label,
      what: say(w.remembered, { rule: browser.rule }),
      since: browser.createdAt,
      until: browser.until,
      forget: browser.id,
    })),
  ];
  return (
    <>
      {rows.length > 0 && (
        <Row>
          <Button calls="browsers.signOut" onPress={() => setEnding(true)}>
            {w.signOut}
          </Button>
        </Row>
      )}
      {rows.length === 0 && <Soft>{w.none}</Soft>}
      {forget.trouble && <Banner $tone="danger">{forget.trouble.text}</Banner>}
      {rows.length > 0 && (
        <>
          <Soft>{say(w.hint, { name })}</Soft>
          <Table
            label={w.title}
            rows={rows}
            keyOf={(row) => row.key}
            columns={[
              { heading: w.where, cell: (row) => row.label || w.unknown },
              { heading: w.what, cell: (row) => row.what },
              { heading: w.since, cell: (row) => <Time at={row.since} /> },
              { heading: w.until, cell: (row) => <Time at={row.until} /> },
              {
                heading: '​',
                cell: (row) =>
                  row.forget && (
                    <Button look="quiet" calls="browsers.forget" onPress={() => forget.mutate(row.forget)}>
                      {w.forget}
                    </Button>
                  ),
              },
            ]}
          />
        </>
      )}
      {ending && (
        <FormDialog title={w.signOut} act={signOut} onClose={() => setEnding(false)} finish={w.signOut} danger>
          <p>{say(w.signOutText, { name, sessions: data.sessions.length, browsers: data.browsers.length })}</p>
        </FormDialog>
      )}
    </>
  );
}

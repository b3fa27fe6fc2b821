import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { TextArea } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Code, Section, Small, Soft, Spread } from '../../frame/components/layout.js';
import { words } from '../../frame/messages/index.js';
import { relyingPartyWords } from '../relying-party/messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';

const w = relyingPartyWords.keyDomain;
type Application = Answer<'applications.show'>;

/** From which pages of its own keys may answer for an application. */
export function Origins({ application }: { application: Application }) {
  const may = useMayCall()('applications.setOrigins');
  const [editing, setEditing] = useState(false);
  return (
    <Section aria-labelledby="origins">
      <Spread>
        <h2 id="origins">{w.origins}</h2>
        {may && <Button onPress={() => setEditing(true)}>{w.editOrigins}</Button>}
      </Spread>
      <Soft>{application.origins.length === 0 ? w.noOrigins : w.originsHint}</Soft>
      {application.origins.map(({ origin, related }) => (
        <p key={origin}>
          <Code>{origin}</Code> {related && <Small>{w.related}</Small>}
        </p>
      ))}
      {editing && <EditOrigins application={application} onClose={() => setEditing(false)} />}
    </Section>
  );
}

function EditOrigins({ application, onClose }: { application: Application; onClose: () => void }) {
  const [typed, setTyped] = useState(application.origins.map(({ origin }) => origin).join('\n'));
  const origins = typed
    .split(/\s+/)
    .map((one) => one.trim())
    .filter(Boolean);
  const act = useAct<undefined, unknown>(
    () =>
      call('applications.setOrigins', {
        params: { id: application.id },
        body: { origins },
        ifMatch: application.version,
      }),
    onClose,
  );
  const wrong = Object.entries(act.trouble?.fields ?? {})[0];
  const at = Number(/\[(\d+)\]/.exec(wrong?.[0] ?? '')?.[1] ?? 0);
  return (
    <FormDialog title={w.editOrigins} act={act} onClose={onClose} finish={words.act.save}>
      <TextArea
        label={w.origins}
        rows={4}
        code
        description={w.originHint}
        value={typed}
        onChange={setTyped}
        problem={wrong && `${origins[at] ?? ''}: ${wrong[1]}`}
      />
    </FormDialog>
  );
}

import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { CheckboxGroup } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { words } from '../../frame/messages/index.js';
import { applicationsWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { choicesOf, OidcFields, oidcOf, type TypedOidc } from './connect.js';

const w = applicationsWords.applications;
type Connection = Answer<'applications.show'>['connections'][number];

/** Changes what a connection may do, claim and learn, and where it sends people. */
export function EditConnection({ connection, onClose }: { connection: Connection; onClose: () => void }) {
  const { oidc } = connection;
  const choices = choicesOf(connection.kind, oidc?.client);
  const [scopes, setScopes] = useState(connection.scopes);
  const [claims, setClaims] = useState(connection.claims);
  const [typed, setTyped] = useState<TypedOidc>({
    redirectUris: oidc?.redirectUris.join('\n') ?? '',
    endUris: oidc?.endUris.join('\n') ?? '',
    releases: oidc?.releases ?? [],
  });
  const act = useAct<undefined, unknown>(
    () =>
      call('connections.edit', {
        params: { id: connection.id },
        body: { claims, ...(choices.scopes.length > 0 ? { scopes } : {}), ...(oidc ? { oidc: oidcOf(typed) } : {}) },
        ifMatch: connection.version,
      }),
    onClose,
  );
  return (
    <FormDialog title={oidc ? w.edit : w.grant} act={act} onClose={onClose} finish={words.act.save}>
      {oidc && <OidcFields typed={typed} trouble={act.trouble} onChange={setTyped} />}
      {choices.scopes.length > 0 && (
        <CheckboxGroup label={w.scopes} options={choices.scopes} value={scopes} onChange={setScopes} />
      )}
      {choices.claims.length > 0 && (
        <CheckboxGroup label={w.claims} options={choices.claims} value={claims} onChange={setClaims} />
      )}
    </FormDialog>
  );
}

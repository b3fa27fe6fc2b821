import { CLAIMS, RELEASES, SCOPES, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { CheckboxGroup, Select, TextArea, TextField } from '../components/fields.js';
import { FormDialog } from '../components/form-dialog.js';
import { words } from '../messages/index.js';
import { call, useAct, type Trouble } from '../session/api.js';

const w = words.applications;
type Application = Answer<'applications.show'>;
type Connection = Application['connections'][number];
type Oidc = NonNullable<Connection['oidc']>;

export const scopeOptions = SCOPES.map((id) => ({ id, text: w.scopeWords[id] }));
export const claimOptions = CLAIMS.map((id) => ({ id, text: w.claimWords[id] }));
/** What can be claimed by OpenID Connect. */
export const oidcClaimOptions = claimOptions.filter(({ id }) => id === 'password-checked');

/** What is typed of a connection by OpenID Connect. */
export interface TypedOidc {
  readonly redirectUris: string;
  readonly endUris: string;
  readonly releases: Oidc['releases'];
}

const lines = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);

export const oidcOf = ({ redirectUris, endUris, releases }: TypedOidc) => ({
  redirectUris: lines(redirectUris),
  endUris: lines(endUris),
  releases,
});

/** What is wrong with some line of a field. */
const problemOf = (trouble: Trouble | undefined, field: string): string | undefined => {
  const at = Object.keys(trouble?.fields ?? {}).find((where) => where.startsWith(`oidc.${field}`));
  return at === undefined
    ? undefined
    : `${/\[(\d+)\]/.test(at) ? `${Number(/\[(\d+)\]/.exec(at)![1]) + 1}: ` : ''}${trouble!.fields[at]!}`;
};

export function OidcFields({
  typed,
  trouble,
  onChange,
}: {
  typed: TypedOidc;
  trouble: Trouble | undefined;
  onChange: (typed: TypedOidc) => void;
}) {
  return (
    <>
      <TextArea
        label={w.redirectUris}
        description={w.redirectHint}
        rows={2}
        code
        value={typed.redirectUris}
        onChange={(redirectUris) => onChange({ ...typed, redirectUris })}
        problem={problemOf(trouble, 'redirectUris')}
      />
      <TextArea
        label={w.endUris}
        description={w.endHint}
        rows={2}
        code
        value={typed.endUris}
        onChange={(endUris) => onChange({ ...typed, endUris })}
        problem={problemOf(trouble, 'endUris')}
      />
      <CheckboxGroup
        label={w.releases}
        options={RELEASES.map((id) => ({ id, text: w.releaseWords[id] }))}
        value={typed.releases}
        onChange={(releases) => onChange({ ...typed, releases })}
      />
    </>
  );
}

/** Connects an application, by its own prompts or by our sign-in pages. */
export function Connect({
  application,
  onClose,
  onDone,
}: {
  application: Application;
  onClose: () => void;
  onDone: (answer: Answer<'connections.add'>) => void;
}) {
  const [kind, setKind] = useState<'http' | 'oidc'>('http');
  const [label, setLabel] = useState('');
  const [scopes, setScopes] = useState<Connection['scopes']>(['check']);
  const [claims, setClaims] = useState<Connection['claims']>([]);
  const [client, setClient] = useState<Oidc['client']>('confidential');
  const [typed, setTyped] = useState<TypedOidc>({ redirectUris: '', endUris: '', releases: ['profile'] });
  const act = useAct<undefined, Answer<'connections.add'>>(
    () =>
      call('connections.add', {
        params: { id: application.id },
        body: {
          kind,
          ...(label === '' ? {} : { label }),
          ...(kind === 'http' ? { scopes, claims } : { claims, oidc: { client, ...oidcOf(typed) } }),
        },
        idempotencyKey: crypto.randomUUID(),
      }),
    onDone,
  );
  return (
    <FormDialog title={w.connect} act={act} onClose={onClose} finish={w.connect}>
      <Select
        label={w.kind}
        options={(['http', 'oidc'] as const).map((id) => ({ id, text: w.kindWords[id] }))}
        value={kind}
        onChange={(next) => {
          setKind(next as typeof kind);
          setClaims([]);
        }}
      />
      <TextField
        label={w.label}
        value={label}
        onChange={setLabel}
        problem={act.trouble?.fields['label']}
        placeholder={w.kinds[kind]}
      />
      {kind === 'http' ? (
        <CheckboxGroup label={w.scopes} options={scopeOptions} value={scopes} onChange={setScopes} />
      ) : (
        <>
          <Select
            label={w.clientKind}
            options={(['confidential', 'public'] as const).map((id) => ({ id, text: w.clientKinds[id] }))}
            value={client}
            onChange={(next) => {
              setClient(next as typeof client);
              setClaims([]);
            }}
          />
          <OidcFields typed={typed} trouble={act.trouble} onChange={setTyped} />
        </>
      )}
      {(kind === 'http' || client === 'confidential') && (
        <CheckboxGroup
          label={w.claims}
          options={kind === 'http' ? claimOptions : oidcClaimOptions}
          value={claims}
          onChange={setClaims}
        />
      )}
    </FormDialog>
  );
}

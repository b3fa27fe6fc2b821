import {
  CLIENT_KINDS,
  connectionSpecOf,
  isOffered,
  OFFERED_CONNECTIONS,
  RELEASES,
  type Answer,
  type OfferedConnectionKind,
} from '@nimble-latch/api';
import { useState } from 'react';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { TextArea, TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { applicationsWords } from './messages/index.js';
import { call, useAct, type Trouble } from '../../frame/session/api.js';

const w = applicationsWords.applications;
type Application = Answer<'applications.show'>;
type Connection = Application['connections'][number];
type Oidc = NonNullable<Connection['oidc']>;

/** What a connection of a kind may do and claim, to choose from; nothing to claim where nobody could say who it is. */
export function choicesOf(kind: Connection['kind'], client: Oidc['client'] | undefined) {
  const { scopes, claims } = isOffered(kind) ? connectionSpecOf(kind) : { scopes: [], claims: [] };
  return {
    scopes: scopes.map((id) => ({ id, text: w.scopeWords[id] })),
    claims: client === 'public' ? [] : claims.map((id) => ({ id, text: w.claimWords[id] })),
  };
}

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
  const [kind, setKind] = useState<OfferedConnectionKind>('http');
  const [label, setLabel] = useState('');
  const [scopes, setScopes] = useState<Connection['scopes']>(['check']);
  const [claims, setClaims] = useState<Connection['claims']>([]);
  const [client, setClient] = useState<Oidc['client']>('confidential');
  const [typed, setTyped] = useState<TypedOidc>({ redirectUris: '', endUris: '', releases: ['profile'] });
  const choices = choicesOf(kind, kind === 'oidc' ? client : undefined);
  const act = useAct<undefined, Answer<'connections.add'>>(
    () =>
      call('connections.add', {
        params: { id: application.id },
        body: {
          kind,
          ...(label === '' ? {} : { label }),
          claims,
          ...(choices.scopes.length > 0 ? { scopes } : {}),
          ...(kind === 'oidc' ? { oidc: { client, ...oidcOf(typed) } } : {}),
        },
        idempotencyKey: crypto.randomUUID(),
      }),
    onDone,
  );
  return (
    <FormDialog title={w.connect} act={act} onClose={onClose} finish={w.connect}>
      <Select
        label={w.kind}
        options={OFFERED_CONNECTIONS.map((id) => ({ id, text: w.kindWords[id] }))}
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
      {choices.scopes.length > 0 && (
        <CheckboxGroup label={w.scopes} options={choices.scopes} value={scopes} onChange={setScopes} />
      )}
      {kind === 'oidc' && (
        <>
          <Select
            label={w.clientKind}
            options={CLIENT_KINDS.map((id) => ({ id, text: w.clientKinds[id] }))}
            value={client}
            onChange={(next) => {
              setClient(next as typeof client);
              setClaims([]);
            }}
          />
          <OidcFields typed={typed} trouble={act.trouble} onChange={setTyped} />
        </>
      )}
      {choices.claims.length > 0 && (
        <CheckboxGroup label={w.claims} options={choices.claims} value={claims} onChange={setClaims} />
      )}
    </FormDialog>
  );
}

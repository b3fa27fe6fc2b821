import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from '../components/button.js';
import { Select } from '../components/choices.js';
import { Form, TextField } from '../components/text-fields.js';
import { Banner, Small } from '../components/layout.js';
import { WholeTrouble } from '../components/whole-trouble.js';
import { say, words } from '../messages/index.js';
import { call, troubleOf, useAct } from './api.js';
import { Door } from './door.js';

/**
 * The secret of a link stands behind #, which is never sent. It is read once, when the page is loaded, and taken off the
 * address at once.
 */
const secret = window.location.hash.slice(1);
if (secret !== '') window.history.replaceState(null, '', window.location.pathname);

/** Leaves for the console with a full load, so that the link's secret is in no history and no memory. */
function enterConsole(setSpent: (spent: boolean) => void): void {
  // The link is used up: it must not be asked about again while the page goes away.
  setSpent(true);
  window.location.replace('/');
}

export function SetUpPage() {
  const [spent, setSpent] = useState(false);
  const [form, setForm] = useState({ displayName: '', loginName: '', password: '' });
  const [domain, setDomain] = useState<string>();
  const set = (name: keyof typeof form) => (value: string) => setForm((before) => ({ ...before, [name]: value }));
  const link = useQuery({
    queryKey: ['link'],
    queryFn: () => call('links.inspect', { body: { secret } }),
    retry: false,
    enabled: !spent,
    staleTime: Infinity,
  });
  const keys = link.data?.keys;
  const rpId = domain ?? keys?.choices[0];
  const act = useAct(
    () => call('links.setUp', { body: { secret, ...form, ...(rpId === undefined ? {} : { rpId }) } }),
    () => enterConsole(setSpent),
  );
  const w = words.setUp;
  if (link.error) return <Spent text={troubleOf(link.error)!.text} />;
  const { trouble } = act;
  return (
    <Door title={w.title} hint={w.hint}>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          act.mutate(undefined);
        }}
      >
        <WholeTrouble trouble={trouble} />
        <TextField
          label={w.displayName}
          value={form.displayName}
          onChange={set('displayName')}
          autoFocus
          autoComplete="name"
          problem={trouble?.fields['displayName']}
        />
        <TextField
          label={w.loginName}
          description={w.loginHint}
          value={form.loginName}
          onChange={set('loginName')}
          autoComplete="username"
          problem={trouble?.fields['loginName']}
        />
        <TextField
          label={w.password}
          description={w.passwordHint}
          type="password"
          value={form.password}
          onChange={set('password')}
          autoComplete="new-password"
          problem={trouble?.fields['password']}
        />
        {keys?.choices.length === 0 && (
          <Banner $tone="brass">{say(words.keyDomain.setUpAddress, { host: keys.host })}</Banner>
        )}
        {keys && rpId !== undefined && keys.choices.length > 1 && (
          <>
            <Select
              label={words.keyDomain.title}
              value={rpId}
              onChange={setDomain}
              options={keys.choices.map((id) => ({
                id,
                text: say(id === keys.host ? words.keyDomain.narrow : words.keyDomain.wider, { domain: id }),
              }))}
            />
            <Small>{words.keyDomain.setUpHint}</Small>
          </>
        )}
        <Button look="main" type="submit" isPending={act.isPending} isDisabled={Object.values(form).includes('')}>
          {w.finish}
        </Button>
      </Form>
    </Door>
  );
}

export function EnterPage() {
  const [spent, setSpent] = useState(false);
  const link = useQuery({
    queryKey: ['link'],
    queryFn: () => call('links.inspect', { body: { secret } }),
    retry: false,
    enabled: !spent,
    staleTime: Infinity,
  });
  const act = useAct(
    () => call('links.signIn', { body: { secret } }),
    () => enterConsole(setSpent),
  );
  const w = words.enter;
  if (link.error) return <Spent text={troubleOf(link.error)!.text} />;
  if (!link.data) return <Door title={words.loading}>{null}</Door>;
  const facts = { name: link.data.displayName ?? '' };
  return (
    <Door title={say(w.title, facts)} hint={w.hint}>
      {act.trouble && (
        <Banner $tone="danger" role="alert">
          {act.trouble.text}
        </Banner>
      )}
      <Button look="main" onPress={() => act.mutate(undefined)} isPending={act.isPending} autoFocus>
        {say(w.finish, facts)}
      </Button>
    </Door>
  );
}

function Spent({ text }: { text: string }) {
  return (
    <Door title={words.setUp.spentTitle} hint={text}>
      <a href="/">{words.signIn.title}</a>
    </Door>
  );
}

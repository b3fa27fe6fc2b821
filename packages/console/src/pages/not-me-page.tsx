import type { Answer } from '@nimble-latch/api';
import { useEffect, useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Row } from '../frame/components/layout.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { moment, say, shared, words } from './messages/index.js';

const w = words.notMe;

/** Whoever follows the link in a notice says that the change was not them. Opening the page changes nothing; pressing the button does. */
export function NotMePage() {
  const [code] = useState(() => window.location.hash.slice(1));
  const [shown, setShown] = useState<Answer<'own.showNotice'>>();
  const [done, setDone] = useState<Answer<'own.dispute'>['effect']>();
  const [mine, setMine] = useState(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const failed = (error: unknown) => {
    setTrouble(troubleOf(error));
    setBusy(false);
  };
  useEffect(() => {
    // Another notice's link in this tab changes the fragment alone, and is another page to whoever follows it.
    const another = () => window.location.reload();
    window.addEventListener('hashchange', another);
    return () => window.removeEventListener('hashchange', another);
  }, []);
  useEffect(() => {
    if (code === '') setTrouble(w.whole);
    else
      call('own.showNotice', { body: { code } }).then((now) => {
        setShown(now);
        if (now.disputed) setDone(now.effect);
      }, failed);
  }, []);
  if (!shown)
    return (
      <Hall title={trouble === undefined ? words.wait : words.problemTitle}>
        <Trouble text={trouble} />
      </Hall>
    );
  const { organisation, kind, label, at } = shown;
  if (mine)
    return (
      <Hall organisation={organisation} title={w.mineTitle}>
        <p role="status">{w.mine}</p>
      </Hall>
    );
  if (done)
    return (
      <Hall organisation={organisation} title={w.doneTitle}>
        <p role="status">{w.done[done]}</p>
        <p>{w.next}</p>
      </Hall>
    );
  return (
    <Hall organisation={organisation} title={w.title}>
      <p>{say(w.what, { what: say(shared.noticeKinds[kind], { label }), at: moment(at) })}</p>
      <p>{w.effects[shown.effect]}</p>
      <Trouble text={trouble} />
      <Row>
        <Button
          look="danger"
          isDisabled={busy}
          onPress={() => {
            setBusy(true);
            call('own.dispute', { body: { code } }).then(({ effect }) => setDone(effect), failed);
          }}
        >
          {w.act}
        </Button>
        <Button onPress={() => setMine(true)}>{w.itWasMe}</Button>
      </Row>
    </Hall>
  );
}

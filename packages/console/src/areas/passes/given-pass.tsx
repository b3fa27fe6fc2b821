import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { Banner, Row, ShownCode, Small } from '../../frame/components/layout.js';
import { OffPaper, OnPaper, OnlyThis } from '../../frame/components/on-paper.js';
import { locale, say, words } from '../../frame/messages/index.js';
import { useRead } from '../../frame/session/api.js';
import { space } from '../../frame/theme/tokens.js';
import { passesWords } from './messages/index.js';

const w = passesWords.passes;
export type Given = Answer<'passes.give'>;

const Aloud = styled.ol`
  margin: 0;
  padding-left: ${space.wide};
`;

const moment = (at: string) => new Date(at).toLocaleString(locale, { dateStyle: 'medium', timeStyle: 'short' });

/** A pass, this once: to be read aloud, copied or printed, and where it is of use. */
export function GivenPass({ given: { pass, code, spelled }, onDone }: { given: Given; onDone: () => void }) {
  const [copied, setCopied] = useState(false);
  const { data } = useRead('people.meets', { params: { id: pass.person.id }, query: { only: pass.id } });
  const serves = data?.rows.filter((row) => row.outcome === 'let-in' && row.serves.some(({ id }) => id === pass.id));
  const { displayName: name } = pass.person;
  return (
    <Dialog title={say(w.shownTitle, { name })} onClose={onDone}>
      <OnlyThis />
      <ShownCode>{code}</ShownCode>
      <p>
        {say(w.shownHint, {
          from: pass.state === 'waiting' ? moment(pass.from) : w.nowOn,
          until: moment(pass.until),
          times: say(w.times, { n: pass.usesMost }),
        })}
      </p>
      <OnPaper>{words.showOnce.keepToYourself}</OnPaper>
      <OffPaper>
        {pass.onlyAt && <p>{say(w.onlyAt, { places: pass.onlyAt.map((one) => one.name).join(', ') })}</p>}
        <div>
          <Small>{w.aloud}</Small>
          <Aloud>
            {spelled.map((group) => (
              <li key={group}>{group}</li>
            ))}
          </Aloud>
        </div>
        {serves && serves.length > 0 && (
          <p>{say(w.serves, { list: serves.map(({ application }) => application.name).join(', ') })}</p>
        )}
        {serves?.length === 0 && pass.state === 'open' && <Banner>{w.servesNothing}</Banner>}
        <Banner>{words.showOnce.warning}</Banner>
        <Row>
          <Button look="main" onPress={() => void navigator.clipboard.writeText(code).then(() => setCopied(true))}>
            {copied ? words.showOnce.copied : words.showOnce.copy}
          </Button>
          <Button onPress={() => window.print()}>{words.showOnce.print}</Button>
          <Button onPress={onDone}>{words.showOnce.kept}</Button>
        </Row>
      </OffPaper>
    </Dialog>
  );
}

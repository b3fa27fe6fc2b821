import type { Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { Banner, Row, ShownCode } from '../../frame/components/layout.js';
import { OffPaper, OnlyThis } from '../../frame/components/on-paper.js';
import { Qr } from '../../frame/components/qr.js';
import { say, words } from '../../frame/messages/index.js';
import { space } from '../../frame/theme/tokens.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;

const Letter = styled.article`
  display: grid;
  gap: ${space.base};
  padding: ${space.base} 0;
  break-after: page;
  &:last-of-type {
    break-after: auto;
  }
  pre {
    font: inherit;
    margin: 0;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
`;

/** Letters, this once: one on a sheet. */
export function LettersDialog({
  printed: { letters, left },
  onDone,
}: {
  printed: Answer<'invitationRounds.print'>;
  onDone: () => void;
}) {
  return (
    <Dialog title={say(w.lettersTitle, { count: letters.length })} onClose={onDone}>
      <OnlyThis />
      <OffPaper>
        <Banner>{w.lettersHint}</Banner>
        {left > 0 && <Banner>{say(w.lettersLeft, { left })}</Banner>}
        <Row>
          <Button look="main" onPress={() => window.print()}>
            {words.showOnce.print}
          </Button>
          <Button onPress={onDone}>{words.showOnce.kept}</Button>
        </Row>
      </OffPaper>
      {letters.map(({ person, lines, code, page, qrSvg }) => (
        <Letter key={person.id} aria-label={person.displayName}>
          <pre>{lines}</pre>
          <Qr src={`data:image/svg+xml;base64,${btoa(qrSvg)}`} alt={person.displayName} />
          <span>{page}</span>
          <ShownCode>{code}</ShownCode>
        </Letter>
      ))}
    </Dialog>
  );
}

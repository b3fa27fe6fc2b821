import { useState } from 'react';
import { styled } from 'styled-components';
import { space } from '../theme/tokens.js';
import { Button } from './button.js';
import { Banner, Code, Row } from './layout.js';
import { OffPaper, OnPaper, OnlyThis } from './on-paper.js';

const Codes = styled.ol`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(12rem, 1fr));
  gap: ${space.small} ${space.wide};
  padding-left: ${space.wide};
`;

/** What is said of a secret that is shown once; the console and the pages for everybody each say it their way. */
export interface OnceWords {
  readonly print: string;
  readonly keepToYourself: string;
  readonly warning: string;
  readonly copy: string;
  readonly copied: string;
  readonly kept: string;
}

/** Recovery codes, this once: copied, printed, and gone. @param props.apart whether what stands around it must not be printed */
export function RecoverySheet({
  codes,
  hint,
  words,
  apart = false,
  onDone,
}: {
  codes: readonly string[];
  hint: string;
  words: OnceWords;
  apart?: boolean;
  onDone: () => void;
}) {
  const [copied, setCopied] = useState(false);
  return (
    <>
      {apart && <OnlyThis />}
      <p>{hint}</p>
      <Codes>
        {codes.map((code) => (
          <li key={code}>
            <Code>{code}</Code>
          </li>
        ))}
      </Codes>
      <OnPaper>{words.keepToYourself}</OnPaper>
      <OffPaper>
        <Banner>{words.warning}</Banner>
        <Row>
          <Button look="main" onPress={() => window.print()}>
            {words.print}
          </Button>
          <Button onPress={() => void navigator.clipboard.writeText(codes.join('\n')).then(() => setCopied(true))}>
            {copied ? words.copied : words.copy}
          </Button>
          <Button onPress={onDone}>{words.kept}</Button>
        </Row>
      </OffPaper>
    </>
  );
}

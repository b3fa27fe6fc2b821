import { useEffect, type ReactNode } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Row } from '../frame/components/layout.js';
import { Mark } from '../frame/components/mark.js';
import { colour, narrow, size, space, type } from '../frame/theme/tokens.js';
import { changeLanguage, language, LANGUAGE_IDS, LANGUAGE_NAMES, words } from './messages/index.js';

const Room = styled.main`
  min-height: 100vh;
  display: grid;
  grid-template-rows: auto 1fr auto;
  grid-template-columns: min(${size.field}, calc(100vw - ${space.far}));
  justify-content: center;
  gap: ${space.wide};
  padding: 12vh 0 ${space.wide};
  ${narrow} {
    padding-top: ${space.far};
  }
`;
const Name = styled.p`
  display: flex;
  align-items: center;
  gap: ${space.small};
  font-weight: ${type.bold};
  color: ${colour.inkSoft};
`;
const Body = styled.div`
  display: grid;
  gap: ${space.wide};
  align-content: start;
  min-width: 0;
`;

/** One of the pages for everybody: who it is of, one thing to do, the language. */
export function Hall({ organisation, title, children }: { organisation?: string; title: string; children: ReactNode }) {
  useEffect(() => {
    const before = document.title;
    document.title = organisation ? `${title} · ${organisation}` : title;
    // One that was shown over another leaves that one’s name behind.
    return () => void (document.title = before);
  }, [title, organisation]);
  return (
    <Room>
      <Name>
        <Mark /> {organisation ?? words.product}
      </Name>
      <Body>
        <h1>{title}</h1>
        {children}
      </Body>
      <Row role="group" aria-label={words.language}>
        {LANGUAGE_IDS.map((one) => (
          <Button key={one} look="quiet" lang={one} isDisabled={one === language} onPress={() => changeLanguage(one)}>
            {LANGUAGE_NAMES[one]}
          </Button>
        ))}
      </Row>
    </Room>
  );
}

import type { RouteId } from '@nimble-latch/api';
import { useEffectEvent, useMemo } from 'react';
import { Menu, MenuItem, MenuTrigger, Popover } from 'react-aria-components';
import { styled } from 'styled-components';
import { words } from '../messages/index.js';
import { useMayCall } from '../session/context.js';
import { useOffered } from '../session/page-actions.js';
import { colour, radius, space } from '../theme/tokens.js';
import { Button } from './button.js';

/** Its mark is not read aloud: that a menu opens is told anyway. */
const Opener = styled(Button)`
  &::after {
    content: ' ▾' / '';
  }
`;
const Sheet = styled(Popover)`
  background: ${colour.raised};
  color: ${colour.ink};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  overflow: auto;
`;
const Line = styled(MenuItem)<{ $danger: boolean }>`
  padding: ${space.small} ${space.base};
  cursor: pointer;
  outline: none;
  color: ${({ $danger }) => ($danger ? colour.danger : colour.ink)};
  &[data-focused] {
    background: ${colour.actionSoft};
    box-shadow: inset 3px 0 0 ${colour.action};
  }
`;

/** One line of a menu. */
export interface Choice {
  readonly text: string;
  /** The call that it leads to: to whoever may not make it, it is not offered. */
  readonly calls: RouteId;
  /** It cannot be undone. */
  readonly danger?: boolean;
  readonly run: () => void;
}

/**
 * What else can be done with something, behind one button; in the palette too, by what it is done with. Nothing where nothing of it
 * may be done.
 */
export function ActionMenu({
  label = words.act.menu,
  about,
  choices,
}: {
  label?: string;
  /** What it is done with: heard after what stands on the button, and named in the palette. */
  about: string;
  choices: readonly (Choice | false | undefined)[];
}) {
  const mayCall = useMayCall();
  const open = choices.filter((one): one is Choice => one !== false && one !== undefined && mayCall(one.calls));
  const run = useEffectEvent((text: string) => open.find((one) => one.text === text)?.run());
  const texts = open.map(({ text }) => text).join('\n');
  const actions = useMemo(
    () =>
      texts === ''
        ? []
        : texts
            .split('\n')
            .map((text) => ({ id: `${about} ${text}`, text: `${text}: ${about}`, run: () => run(text) })),
    [texts, about],
  );
  useOffered(actions);
  if (open.length === 0) return null;
  return (
    <MenuTrigger>
      <Opener look="quiet" about={about}>
        {label}
      </Opener>
      <Sheet placement="bottom end">
        <Menu aria-label={`${label} ${about}`} onAction={(text) => open.find((one) => one.text === text)?.run()}>
          {open.map(({ text, danger = false }) => (
            <Line key={text} id={text} textValue={text} $danger={danger}>
              {text}
            </Line>
          ))}
        </Menu>
      </Sheet>
    </MenuTrigger>
  );
}

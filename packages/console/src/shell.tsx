import type { Language, Permission } from '@nimble-latch/api';
import { useState, type ReactNode } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import { NavLink } from 'react-router';
import { styled } from 'styled-components';
import { Button } from './components/button.js';
import { Banner } from './components/layout.js';
import { Mark } from './components/mark.js';
import { Select } from './components/fields.js';
import { Toasts } from './components/toasts.js';
import { changeLanguage, language, LANGUAGE_NAMES, shared, words } from './messages/index.js';
import { usePalette } from './palette/palette.js';
import { call } from './session/api.js';
import { useSession } from './session/context.js';
import { colour, narrow, radius, size, space, type } from './theme/tokens.js';

const Frame = styled.div`
  display: grid;
  grid-template-columns: ${size.rail} minmax(0, 1fr);
  min-height: 100vh;
  @media print {
    display: block;
  }
  ${narrow} {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: auto 1fr;
  }
`;
const Rail = styled.nav`
  border-right: 1px solid ${colour.line};
  padding: ${space.wide} ${space.base};
  display: grid;
  gap: ${space.wide};
  align-content: start;
  position: sticky;
  top: 0;
  height: 100vh;
  overflow: auto;
  @media print {
    display: none;
  }
  ${narrow} {
    position: static;
    height: auto;
    border-right: 0;
    border-bottom: 1px solid ${colour.line};
    padding: ${space.small} ${space.base};
    gap: ${space.small};
  }
`;
const Brand = styled.p`
  display: flex;
  align-items: center;
  gap: ${space.small};
  font-weight: ${type.bold};
  justify-content: space-between;
  span {
    display: flex;
    align-items: center;
    gap: ${space.small};
  }
  button {
    display: none;
  }
  ${narrow} {
    button {
      display: inline-block;
    }
  }
`;
const GoTo = styled(AriaButton)`
  display: flex;
  justify-content: space-between;
  align-items: center;
  font: inherit;
  color: ${colour.inkSoft};
  background: ${colour.raised};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  min-height: ${size.control};
  padding: ${space.tight} ${space.snug};
  cursor: pointer;
  kbd {
    font-family: ${type.code};
    font-size: ${type.small};
  }
`;
const Areas = styled.ul<{ $open: boolean }>`
  list-style: none;
  display: grid;
  gap: ${space.hair};
  a {
    display: block;
    padding: ${space.small} ${space.snug};
    border-radius: ${radius.field};
    color: ${colour.ink};
    text-decoration: none;
  }
  a:hover {
    background: ${colour.actionSoft};
  }
  a.active {
    font-weight: ${type.bold};
    box-shadow: inset 3px 0 0 ${colour.brass};
    background: ${colour.brassSoft};
  }
  ${narrow} {
    display: ${({ $open }) => ($open ? 'grid' : 'none')};
  }
`;
const Me = styled.div<{ $open: boolean }>`
  display: grid;
  gap: ${space.tight};
  justify-items: start;
  font-size: ${type.small};
  color: ${colour.inkSoft};
  border-top: 1px solid ${colour.line};
  padding-top: ${space.base};
  ${narrow} {
    display: ${({ $open }) => ($open ? 'grid' : 'none')};
  }
`;
const Nag = styled.div`
  padding: ${space.base} ${space.far} 0;
  max-width: ${size.page};
  display: grid;
  gap: ${space.small};
  @media print {
    display: none;
  }
  ${narrow} {
    padding: ${space.base} ${space.base} 0;
  }
`;

/** Areas in the order of the work, each with the permission without which it would be empty. */
const AREAS: readonly (readonly [to: string, name: string, needs?: Permission])[] = [
  ['/', words.rail.overview],
  ['/people', words.rail.people, 'person.read'],
  ['/groups', words.rail.groups, 'group.read'],
  ['/stock', words.rail.stock, 'stock.read'],
  ['/applications', words.rail.applications, 'application.read'],
  ['/rulebook', words.rail.rulebook, 'rulebook.read'],
  ['/walk-through', words.rail.walkThrough, 'walk-through.run'],
  ['/sign-ins', words.rail.activity, 'activity.read'],
  ['/trail', words.rail.trail, 'trail.read'],
  ['/administrators', words.rail.administrators],
  ['/settings', words.rail.settings],
];

/** The rail at the left, and what has to be said above every page. */
export function Shell({ children }: { children: ReactNode }) {
  const session = useSession();
  const [open, setOpen] = useState(false);
  const { open: goTo, palette } = usePalette();
  return (
    <Frame>
      <Rail aria-label={words.rail.label}>
        <Brand as="div">
          <span>
            <Mark /> {words.product}
          </span>
          <Button look="quiet" aria-expanded={open} onPress={() => setOpen(!open)}>
            {words.rail.menu}
          </Button>
        </Brand>
        <GoTo onPress={goTo}>
          <span>{words.palette.open}</span> <kbd>{words.palette.shortcut}</kbd>
        </GoTo>
        <Areas $open={open}>
          {AREAS.filter(
            ([to, , needs]) =>
              (needs === undefined || session.permissions.includes(needs)) && !(to === '/' && session.limited),
          ).map(([to, name]) => (
            <li key={to}>
              <NavLink to={to} end={to === '/'} onClick={() => setOpen(false)}>
                {name}
              </NavLink>
            </li>
          ))}
        </Areas>
        <Me $open={open}>
          <span>{session.person.displayName}</span>
          <span>{session.roles.map((role) => shared.roles[role]).join(', ')}</span>
          <Select
            label={words.rail.language}
            value={language}
            onChange={(next) => changeLanguage(next as Language)}
            options={Object.entries(LANGUAGE_NAMES).map(([id, text]) => ({ id, text }))}
          />
          <Button look="quiet" onPress={() => void call('session.end').finally(() => window.location.replace('/'))}>
            {words.rail.signOut}
          </Button>
        </Me>
      </Rail>
      {palette}
      <Toasts />
      <div>
        {(!session.hasFactor || !session.hasPassword) && (
          <Nag>
            {!session.hasPassword && (
              <Banner>
                {words.nag.password} <NavLink to="/settings">{words.nag.passwordAct}</NavLink>
              </Banner>
            )}
            {session.hasPassword && !session.hasFactor && (
              <Banner>
                {words.nag.factor} <NavLink to={`/people/${session.person.id}?key`}>{words.nag.keyAct}</NavLink>{' '}
                <NavLink to={`/people/${session.person.id}?enrol`}>{words.nag.factorAct}</NavLink>
              </Banner>
            )}
          </Nag>
        )}
        {children}
      </div>
    </Frame>
  );
}

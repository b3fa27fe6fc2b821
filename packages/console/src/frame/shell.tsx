import type { Language, RouteId } from '@nimble-latch/api';
import { useIsFetching, useQuery } from '@tanstack/react-query';
import { useState, type MouseEvent, type ReactNode } from 'react';
import { Button as AriaButton, Disclosure, DisclosurePanel } from 'react-aria-components';
import { NavLink, useLocation } from 'react-router';
import { styled } from 'styled-components';
import {
  railOf,
  type ConsoleArea,
  type RailGroup as RailGroupName,
  type RailLine,
  type Waiting as WaitingCounts,
} from './area.js';
import { Button } from './components/button.js';
import { Banner, Heard, Row } from './components/layout.js';
import { Mark } from './components/mark.js';
import { Select } from './components/choices.js';
import { Toasts } from './components/toasts.js';
import { changeLanguage, language, LANGUAGE_NAMES, say, shared, words } from './messages/index.js';
import { focusPage, PAGE_ID } from './page-focus.js';
import { usePalette } from './palette/palette.js';
import { call, useRead } from './session/api.js';
import { useSession, type Session } from './session/context.js';
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
  gap: ${space.base};
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
const Beside = styled.div`
  min-width: 0;
  /* What one is in needs no frame: the first thing in it that can be used will have one. */
  outline: none;
`;
/** Something of the page is still on its way: said in one place for all pages, for whoever looks and whoever hears. */
const OnItsWay = styled.div`
  position: sticky;
  top: 0;
  z-index: 4;
  height: 3px;
  margin-bottom: -3px;
  background: linear-gradient(90deg, transparent, ${colour.brass}, transparent) 0 0 / 50% 100%;
  animation: on-its-way 1.2s linear infinite;
  @keyframes on-its-way {
    to {
      background-position: 200% 0;
    }
  }
  @media (prefers-reduced-motion: reduce) {
    animation: none;
    background: ${colour.brass};
  }
`;
/** The way past the rail (WCAG 2.2, 2.4.1): there for the keyboard, seen while it has the focus. */
const Skip = styled.a`
  position: absolute;
  left: ${space.base};
  top: -10rem;
  z-index: 5;
  padding: ${space.small} ${space.base};
  background: ${colour.action};
  color: ${colour.actionInk};
  border-radius: ${radius.field};
  &:focus {
    top: ${space.small};
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
const Groups = styled.div<{ $open: boolean }>`
  display: grid;
  gap: ${space.tight};
  ${narrow} {
    display: ${({ $open }) => ($open ? 'grid' : 'none')};
  }
`;
const Group = styled(Disclosure)`
  button {
    display: flex;
    justify-content: space-between;
    width: 100%;
    font: inherit;
    font-size: ${type.small};
    color: ${colour.inkSoft};
    background: none;
    border: 0;
    border-radius: ${radius.field};
    padding: ${space.hair} ${space.snug};
    cursor: pointer;
  }
  button:hover {
    background: ${colour.actionSoft};
  }
`;
const Lines = styled.ul`
  list-style: none;
  display: grid;
  gap: ${space.hair};
  a {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: ${space.small};
    padding: ${space.hair} ${space.snug};
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
    a {
      padding: ${space.small} ${space.snug};
    }
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

/** A figure beside where something waits: brass, as all that is held. */
const Waits = styled.span`
  min-width: ${space.wide};
  padding: 0 ${space.small};
  border: 1px solid ${colour.brass};
  border-radius: ${radius.pill};
  background: ${colour.brassSoft};
  color: ${colour.brass};
  font-size: ${type.small};
  font-variant-numeric: tabular-nums;
  text-align: center;
`;
/** What waits is asked for again after so long; after every change of one's own at once. */
const ASKED_AGAIN_MS = 60_000;

/** A figure, and for whoever hears it what it is of. */
function Waiting({ count, what }: { count: number; what: string }) {
  return (
    <Waits>
      <span aria-hidden="true">{count}</span>
      <Heard>{say(what, { count })}</Heard>
    </Waits>
  );
}

const FOLDED = 'nimble-latch.folded';
/** Groups of the rail that were folded away in this browser. */
const foldedGroups = (): string[] => (localStorage.getItem(FOLDED) ?? '').split(' ').filter(Boolean);

/** One group of the rail. A group of one line that is called like it needs no heading. */
function RailGroup({
  group,
  lines,
  waiting,
  onGo,
}: {
  group: RailGroupName;
  lines: readonly RailLine[];
  waiting: WaitingCounts | undefined;
  onGo: () => void;
}) {
  const count = ({ waits }: RailLine) => (waits === undefined ? 0 : (waiting?.[waits] ?? 0));
  const all = lines.reduce((sum, line) => sum + count(line), 0);
  const title = words.rail.groups[group];
  const { pathname } = useLocation();
  const within = lines.some(({ to }) => (to === '/' ? pathname === '/' : pathname.startsWith(to)));
  const [open, setOpen] = useState(!foldedGroups().includes(group));
  const list = (
    <Lines>
      {lines.map((line) => (
        <li key={line.to}>
          <NavLink to={line.to} end={line.to === '/'} onClick={onGo}>
            {line.name[language]}
            {count(line) > 0 && <Waiting count={count(line)} what={words.rail.waits[line.waits!]} />}
          </NavLink>
        </li>
      ))}
    </Lines>
  );
  if (lines.length === 1) return list;
  const fold = (next: boolean) => {
    const others = foldedGroups().filter((one) => one !== group);
    localStorage.setItem(FOLDED, (next ? others : [...others, group]).join(' '));
    setOpen(next);
  };
  return (
    // Where somebody is stays in sight.
    <Group isExpanded={open || within} onExpandedChange={fold}>
      <AriaButton slot="trigger">
        <span>
          {title} {!open && !within && all > 0 && <Waiting count={all} what={words.rail.waitsHere} />}
        </span>{' '}
        <span aria-hidden="true">{open || within ? '▾' : '▸'}</span>
      </AriaButton>
      <DisclosurePanel>{list}</DisclosurePanel>
    </Group>
  );
}

/** Somebody has no second factor: where they get one. Whose roles end at groups need not be in those themselves. */
function FactorNag({ session }: { session: Session }) {
  return session.limited ? (
    <GetFactor person={session.person.id} calls={[]} />
  ) : (
    <GetFactorAsAllowed person={session.person.id} />
  );
}

function GetFactorAsAllowed({ person }: { person: string }) {
  const { data } = useRead('people.calls', { params: { id: person } });
  return data && <GetFactor person={person} calls={data.calls} />;
}

function GetFactor({ person, calls }: { person: string; calls: readonly RouteId[] }) {
  const may = (route: RouteId) => calls.includes(route);
  return (
    <Banner>
      <span>{words.nag.factor}</span>
      <Row>
        {may('webauthn.begin') && <NavLink to={`/people/${person}?key`}>{words.nag.keyAct}</NavLink>}
        {may('totp.begin') ? (
          <NavLink to={`/people/${person}?enrol`}>{words.nag.factorAct}</NavLink>
        ) : (
          // Whoever may not enrol others does so where everybody enrols their own.
          <a href="/enrol">{words.nag.ownAct}</a>
        )}
      </Row>
    </Banner>
  );
}

/** The address stays as it is: what follows # is for links that are sent. */
function toPage(event: MouseEvent) {
  event.preventDefault();
  focusPage();
}

/** The rail at the left, and what has to be said above every page. */
export function Shell({ areas, children }: { areas: readonly ConsoleArea[]; children: ReactNode }) {
  const session = useSession();
  const [open, setOpen] = useState(false);
  const { open: goTo, palette } = usePalette(areas);
  // What is read again in the background has something to show meanwhile.
  const onItsWay = useIsFetching({ predicate: ({ state, meta }) => state.data === undefined && !meta?.['beside'] }) > 0;
  const { data: waiting } = useQuery({
    queryKey: ['overview', 'overview.waiting'],
    queryFn: async () => await call('overview.waiting'),
    refetchInterval: ASKED_AGAIN_MS,
    // Beside the work, never in its way: where it fails there are no figures.
    retry: false,
    meta: { beside: true },
  });
  return (
    <Frame>
      <Skip href={`#${PAGE_ID}`} onClick={toPage}>
        {words.rail.skip}
      </Skip>
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
        <Groups $open={open}>
          {railOf(areas).map(({ group, lines }) => {
            const shown = lines.filter(({ calls }) => calls === undefined || session.calls.includes(calls));
            return (
              shown.length > 0 && (
                <RailGroup key={group} group={group} lines={shown} waiting={waiting} onGo={() => setOpen(false)} />
              )
            );
          })}
        </Groups>
        <Me $open={open}>
          <NavLink to="/account" onClick={() => setOpen(false)}>
            {session.person.displayName}
          </NavLink>
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
      <Beside id={PAGE_ID} tabIndex={-1} aria-busy={onItsWay}>
        {onItsWay && (
          <OnItsWay role="status">
            <Heard>{words.loading}</Heard>
          </OnItsWay>
        )}
        {(!session.hasFactor || !session.hasPassword) && (
          <Nag>
            {!session.hasPassword && (
              <Banner>
                {words.nag.password} <NavLink to="/account">{words.nag.passwordAct}</NavLink>
              </Banner>
            )}
            {session.hasPassword && !session.hasFactor && <FactorNag session={session} />}
          </Nag>
        )}
        {children}
      </Beside>
    </Frame>
  );
}

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useEffect, useEffectEvent, useState } from 'react';
import { Autocomplete, Input, Label, Menu, MenuItem, TextField } from 'react-aria-components';
import { useNavigate } from 'react-router';
import { styled } from 'styled-components';
import { Dialog } from '../components/dialog.js';
import { Small } from '../components/layout.js';
import { words } from '../messages/index.js';
import { focusPageLater } from '../page-focus.js';
import { colour, radius, size, space, type } from '../theme/tokens.js';
import type { ConsoleArea } from '../area.js';
import { useSession } from '../session/context.js';
import { usePageActions } from '../session/page-actions.js';
import { actionsFor, foundFor, targetsHere, targetsOf, type Target } from './targets.js';

const w = words.palette;

const Search = styled(TextField)`
  display: grid;
  gap: ${space.tight};
  label {
    font-weight: ${type.bold};
  }
  input {
    font: inherit;
    color: inherit;
    width: 100%;
    min-height: ${size.control};
    padding: ${space.tight} ${space.snug};
    border: 1px solid ${colour.lineStrong};
    border-radius: ${radius.field};
    background: ${colour.raised};
  }
`;
const Finder = styled.div`
  display: grid;
  gap: ${space.base};
`;
const Targets = styled(Menu)`
  max-height: ${size.palette};
  overflow: auto;
  outline: none;
`;
const Line = styled(MenuItem)`
  display: flex;
  flex-wrap: wrap;
  gap: 0 ${space.snug};
  justify-content: space-between;
  padding: ${space.small} ${space.snug};
  border-radius: ${radius.field};
  cursor: pointer;
  outline: none;
  color: ${colour.ink};
  text-decoration: none;
  &[data-focused] {
    background: ${colour.actionSoft};
    box-shadow: inset 3px 0 0 ${colour.action};
  }
  span:last-child {
    color: ${colour.inkSoft};
    font-size: ${type.small};
  }
`;

/** Jumps to a person, a group, an application, a sign-in or an action, from anywhere. */
function Palette({ areas, onClose }: { areas: readonly ConsoleArea[]; onClose: () => void }) {
  const session = useSession();
  const navigate = useNavigate();
  const here = usePageActions();
  const [typed, setTyped] = useState('');
  const asked = useDeferredValue(typed.trim());
  const found = useQuery({
    queryKey: ['palette', asked],
    queryFn: () => foundFor(asked, session),
    placeholderData: keepPreviousData,
    staleTime: 5_000,
  });
  // Whether what is listed belongs to what is typed: until then it is still that of the letters before.
  const settled = asked === typed.trim() && (asked === '' || (!found.isPending && !found.isPlaceholderData));
  // Enter was pressed before that: what comes first then is taken, and nothing of what happened to be there.
  const [taking, setTaking] = useState(false);
  const targets: readonly Target[] = [
    ...(asked === '' ? [] : (found.data ?? [])),
    // What is done here is found by its words; while nothing is typed, the list is of where one may go.
    ...(asked === '' ? [] : actionsFor(targetsHere(here), asked)),
    ...actionsFor(targetsOf(areas, session), asked),
  ];
  const go = (id: string) => {
    const target = targets.find((one) => one.id === id);
    if (!target) return;
    onClose();
    if (target.run) return target.run();
    void navigate(target.to);
    focusPageLater();
  };
  const first = targets[0]?.id;
  const takeFirst = useEffectEvent(() => {
    setTaking(false);
    if (first !== undefined) go(first);
  });
  useEffect(() => {
    if (taking && settled) takeFirst();
  }, [taking, settled]);
  const holdEnter = (event: React.KeyboardEvent) => {
    if (event.key !== 'Enter' || settled) return setTaking(false);
    event.preventDefault();
    event.stopPropagation();
    setTaking(true);
  };
  return (
    <Dialog title={w.title} onClose={onClose}>
      <Finder onKeyDownCapture={holdEnter}>
        <Autocomplete inputValue={typed} onInputChange={setTyped}>
          <Search autoFocus aria-label={w.title}>
            <Label>{w.label}</Label>
            <Input />
          </Search>
          {/* Made anew with what it lists: the list would keep the focus on the key that came first before, which may be gone. */}
          <Targets
            key={settled ? asked : `${asked}…`}
            autoFocus={asked === '' ? false : 'first'}
            aria-label={w.results}
            onAction={(id) => go(String(id))}
            renderEmptyState={() => <Small>{found.isFetching ? words.loading : w.nothing}</Small>}
          >
            {targets.map((target) => (
              <Line key={target.id} id={target.id} textValue={target.name}>
                <span>{target.name}</span>
                <span>{target.hint}</span>
              </Line>
            ))}
          </Targets>
        </Autocomplete>
      </Finder>
      <Small>{w.keys}</Small>
    </Dialog>
  );
}

/** Opens on Ctrl K (Command K where there is such a key), and by whatever calls `open`. */
export function usePalette(areas: readonly ConsoleArea[]): { open: () => void; palette: React.ReactNode } {
  const [shown, setShown] = useState(false);
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== 'k' || !(event.ctrlKey || event.metaKey) || event.altKey || event.shiftKey)
        return;
      event.preventDefault();
      // Not above another dialog: what stands in that one would be left behind.
      if (!document.querySelector('[role=dialog], [role=alertdialog]')) setShown(true);
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, []);
  return {
    open: () => setShown(true),
    palette: shown ? <Palette areas={areas} onClose={() => setShown(false)} /> : null,
  };
}

import { useQueryClient } from '@tanstack/react-query';
import {
  Text,
  UNSTABLE_Toast as Toast,
  UNSTABLE_ToastContent as ToastContent,
  UNSTABLE_ToastQueue as ToastQueue,
  UNSTABLE_ToastRegion as ToastRegion,
} from 'react-aria-components';
import { styled } from 'styled-components';
import { sayEnded } from '@nimble-latch/api';
import { shared, words } from '../messages/index.js';
import { troubleOf } from '../session/api.js';
import { colour, radius, size, space } from '../theme/tokens.js';
import { Button } from './button.js';

interface Told {
  readonly text: string;
  /** Takes back what was done. */
  readonly undo?: () => Promise<unknown>;
}

const queue = new ToastQueue<Told>({ maxVisibleToasts: 3 });
/** Long enough to read it, find the button and decide; it waits while the pointer or the focus is on it. */
const SHOWN_MS = 15_000;

/** Says what was done, and offers to take it back where that can be. */
export function toast(text: string, undo?: () => Promise<unknown>): void {
  queue.add({ text, ...(undo ? { undo } : {}) }, { timeout: SHOWN_MS });
}

const Corner = styled(ToastRegion<Told>)`
  position: fixed;
  right: ${space.wide};
  bottom: ${space.wide};
  left: ${space.wide};
  display: grid;
  gap: ${space.small};
  justify-items: end;
  pointer-events: none;
  z-index: 20;
  outline: none;
`;
const Note = styled(Toast<Told>)`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: ${space.base};
  max-width: ${size.dialog};
  padding: ${space.snug} ${space.base};
  border-radius: ${radius.field};
  border: 1px solid ${colour.lineStrong};
  border-left: 4px solid ${colour.action};
  background: ${colour.raised};
  color: ${colour.ink};
  pointer-events: auto;
`;

/** Where notes appear; once in the shell. */
export function Toasts() {
  const queries = useQueryClient();
  const takeBack = (undo: () => Promise<unknown>) =>
    undo().then(
      async () => {
        await queries.invalidateQueries();
        toast(words.toasts.undone);
      },
      (error: unknown) => toast(troubleOf(error)!.text),
    );
  return (
    <Corner queue={queue} aria-label={words.toasts.label}>
      {({ toast }) => (
        <Note toast={toast}>
          <ToastContent>
            <Text slot="title">{toast.content.text}</Text>
          </ToastContent>
          {toast.content.undo && (
            <Button
              onPress={() => {
                queue.close(toast.key);
                void takeBack(toast.content.undo!);
              }}
            >
              {words.act.undo}
            </Button>
          )}
          <Button look="quiet" onPress={() => queue.close(toast.key)}>
            {words.act.close}
          </Button>
        </Note>
      )}
    </Corner>
  );
}

/** Says what else ended with a change; nothing where nothing did. */
export function toastEnded(ended: Parameters<typeof sayEnded>[1]): void {
  const text = sayEnded(shared, ended);
  if (text !== '') toast(text);
}

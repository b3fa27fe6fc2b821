import { Button } from '../../frame/components/button.js';
import { call, useAct } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { keyringWords } from './messages/index.js';

const w = keyringWords.keyring;

/** Gives up what was begun, with what was added to carry it; for whoever may take something off a keyring. */
export function GiveUp({ id, onGivenUp }: { id: string; onGivenUp: () => void }) {
  const may = useMayCall()('authenticators.revoke');
  const act = useAct<undefined, unknown>(
    async () => await call('authenticators.revoke', { params: { id } }),
    onGivenUp,
  );
  return (
    may && (
      <Button look="quiet" onPress={() => act.mutate(undefined)} isPending={act.isPending}>
        {w.giveUp}
      </Button>
    )
  );
}

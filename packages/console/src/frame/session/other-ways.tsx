import type { Answer } from '@nimble-latch/api';
import { Button } from '../components/button.js';
import { say, shared, words } from '../messages/index.js';

type Others = NonNullable<Answer<'signIns.show'>['prompt']>['others'];

/** What else could be asked for, where the rulebook leaves a choice. */
export function OtherWays({ others, onChoose }: { others: Others; onChoose: (method: string) => void }) {
  return others.map(({ kind, methods }) => (
    <Button key={methods[0]} look="quiet" onPress={() => onChoose(methods[0]!)}>
      {say(words.signIn.instead, { prompt: shared.prompts[kind] })}
    </Button>
  ));
}

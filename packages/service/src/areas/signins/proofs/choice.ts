import { promptOf } from '@nimble-latch/core/signin';
import { badField } from '../../../platform/errors.js';
import { readAhead, signInRead } from '../store.js';
import { judgedAhead } from './proof.js';

/** The person wants to be asked for something else that would do. */
export const choice = judgedAhead({
  by: 'value',
  anyPrompt: true,
  opening: (deps, id) => ({ read: signInRead(id), ahead: async () => await readAhead(deps, id) }),
  prepare: async () => await Promise.resolve(undefined),
  judge: async ({ stored, value }) => {
    const choices = promptOf(stored.signIn)!.others.map(({ methods }) => methods[0]!);
    const method = choices.find((one) => one === value);
    if (!method) throw badField('body.value', 'one-of', { values: choices.join(', ') });
    return await Promise.resolve({ judgement: { type: 'chosen', method }, writes: [] });
  },
});

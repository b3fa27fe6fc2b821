import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import type { Node } from '../support/installation.js';
import { startOnCluster, ROUNDS, tellMembers, WHOLE, type OnCluster } from '../support/cluster.js';
import { pairsOn } from './pairs.js';

let on: OnCluster;
let nodes: readonly Node[];
let count = 0;
beforeAll(async () => {
  on = await startOnCluster(2, { NLATCH_TEST_FAULTS: 'slow-commits' });
  ({ nodes } = on.installation);
  await on.installation.sql(
    "UPDATE settings SET data = JSON_SET(data, '$.countersign.actions', JSON_ARRAY()), version = version + 1",
  );
});
afterEach(async ({ task }) => {
  if (task.result?.state === 'fail') await tellMembers(on);
});
afterAll(async () => await on.stop());

const PAIRS = pairsOn(() => on);

/** Which refusal it is depends on how far the other one had come; that it is one of the product's own does not. */
const answered = async (doing: Promise<unknown>): Promise<string> =>
  await doing.then(
    () => 'done',
    (error: unknown) => {
      const { code } = error as { code?: string };
      return code === undefined || code === 'internal' || code === 'unavailable' ? String(error) : 'refused';
    },
  );

/**
 * What comes out of two at once must be what comes out when one of them is done after the other: that is tried first, so nothing has to be
 * known of any of them here.
 */
describe('use cases that exclude each other, on two members at once', () => {
  /** The first ones are those that only a claim keeps apart. */
  const tried = Object.keys(PAIRS).slice(0, WHOLE ? undefined : 3);
  it.each(tried)('%s', async (name) => {
    const { make, one, other, left } = PAIRS[name]!;
    const [here, there] = [nodes[0]!, nodes[1]!];
    const ending = async (doing: (context: unknown) => Promise<readonly string[]>): Promise<string> => {
      count += 1;
      const context = await make(`n${count.toString(36)}`);
      return JSON.stringify([...(await doing(context)), await left(context)]);
    };
    const serial = new Set([
      await ending(async (context) => {
        const first = await answered(one(here, context));
        return [first, await answered(other(there, context))];
      }),
      await ending(async (context) => {
        const second = await answered(other(there, context));
        return [await answered(one(here, context)), second];
      }),
    ]);
    const raced: string[] = [];
    for (let round = 0; round < ROUNDS; round++)
      raced.push(
        await ending(
          async (context) => await Promise.all([answered(one(here, context)), answered(other(there, context))]),
        ),
      );
    expect(
      [...new Set(raced)].filter((outcome) => !serial.has(outcome)),
      [...serial].join(' or '),
    ).toEqual([]);
  });
});

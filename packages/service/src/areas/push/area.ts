import { area } from '../../platform/area.js';
import { PhoneAnswers } from './answers.js';
import { pushDevices } from './push-device.model.js';
import { pushLanes } from './push-lane.model.js';
import { pushRequests } from './push-request.model.js';
import { pushSenders } from './push-sender.model.js';
import { pushWakes } from './push-wake.model.js';
import { PhoneWaking } from './wake.js';

/** Approvals on a phone: phones that are enrolled, what they are asked, what they answer (docs/push-protocol.md). */
export const pushArea = area({
  name: 'push',
  tables: [pushDevices, pushRequests, pushLanes, pushSenders, pushWakes],
  provides: (platform) => ({ phoneAnswers: new PhoneAnswers(platform), phoneWaking: new PhoneWaking() }),
  // As long as somebody looks back: they are part of the story of a sign-in, and what phones show of what they answered.
  sweeps: [
    { table: 'push_requests', when: 'valid_until < UTC_TIMESTAMP(3) - INTERVAL 30 DAY' },
    // Where a phone that has ended could be reached is nobody's business any more.
    {
      table: 'push_wakes',
      when: "EXISTS (SELECT 1 FROM authenticators a WHERE a.id = push_wakes.id AND a.state NOT IN ('pending', 'active', 'suspended'))",
    },
  ],
  serves: async () => {
    const { pushHandlers } = await import('./routes.js');
    const { wakeTold } = await import('./wake.js');
    return {
      handlers: pushHandlers,
      leaves: ({ phoneAnswers }) => phoneAnswers.end(),
      told: { 'push-device': wakeTold },
    };
  },
});

declare module '../../platform/deps.js' {
  interface Deps {
    /** Whoever waits at this node for phones to answer. */
    readonly phoneAnswers: PhoneAnswers;
    /** By what push services know this installation. */
    readonly phoneWaking: PhoneWaking;
  }
}

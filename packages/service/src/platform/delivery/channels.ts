import type { Channel } from './channel.js';
import { mail, type Mail } from './mail.js';
import { webPush, type WebPush } from './web-push.js';

/** What can be sent outward. */
export type Outward = Mail | WebPush;

/** Every channel, by its kind. */
export const CHANNELS = { mail, 'web-push': webPush } as const satisfies {
  readonly [M in Outward as M['kind']]: Channel<M>;
};

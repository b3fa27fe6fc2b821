import type { Channel } from './channel.js';
import { mail, type Mail } from './mail.js';

/** What can be sent outward. */
export type Outward = Mail;

/** Every channel, by its kind. */
export const CHANNELS = { mail } as const satisfies {
  readonly [M in Outward as M['kind']]: Channel<M>;
};

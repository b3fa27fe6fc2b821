import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, sealed } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

export const wakeIdentity = (device: Id): string => `push-device/${device}/subscription`;

/** Where a phone is reached when its page is closed: its subscription at the push service of its browser. */
export class PushWake extends Model<InferAttributes<PushWake>, InferCreationAttributes<PushWake>> {
  /** The phone's. */
  declare id: Id;
  /** Whoever knows it could try to reach the phone. */
  declare subscriptionSealed: Buffer;
  declare madeAt: Date;
  /** Since when the push service knows nothing of it any more. */
  declare goneAt: Date | null;
}

export const pushWakes = tableOf(
  PushWake,
  'push_wakes',
  {
    id: id({ key: true, of: { table: 'authenticators', gone: 'CASCADE' } }),
    subscriptionSealed: sealed(4096, { purpose: 'contact', identity: wakeIdentity })(),
    madeAt: instant(),
    goneAt: instant.orNone(),
  },
  { indexes: [{ name: 'push_wakes_gone', fields: ['gone_at'] }] },
);

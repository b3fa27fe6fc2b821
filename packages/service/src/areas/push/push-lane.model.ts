import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import type { Lane } from '@nimble-latch/core/throttle';
import { id, integer, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** How often somebody's phones were asked in a lane, ever: those who ask at the same moment meet at it, and count one by one. */
export class PushLane extends Model<InferAttributes<PushLane>, InferCreationAttributes<PushLane>> {
  declare personId: Id;
  declare lane: Lane;
  declare asked: number;
}

export const pushLanes = tableOf(PushLane, 'push_lanes', {
  personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
  lane: word<Lane>()({ key: true }),
  asked: integer(),
});

import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, Method } from '@nimble-latch/core/vocabulary';
import { flag, id, instant, line, words } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** An invitation that goes out by itself to whoever joins a group, or is newly added. */
export class StandingInvitation extends Model<
  InferAttributes<StandingInvitation>,
  InferCreationAttributes<StandingInvitation>
> {
  declare id: Id;
  declare groupId: Id | null;
  declare methods: readonly Method[];
  /** A second administrator agreed to it. */
  declare countersigned: boolean;
  declare begunBy: Id;
  declare begunFrom: string | null;
  declare begunAt: Date;
}

export const standingInvitations = tableOf(
  StandingInvitation,
  'standing_invitations',
  {
    id: id({ key: true }),
    groupId: id.orNone({ of: { table: 'person_groups', gone: 'CASCADE' } }),
    methods: words<Method>(200)(),
    countersigned: flag(),
    begunBy: id(),
    begunFrom: line(45).orNone(),
    begunAt: instant(),
  },
  { indexes: [{ name: 'standing_invitations_group', fields: ['group_id'] }] },
);

import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, PushRequestState } from '@nimble-latch/core/vocabulary';
import type { Lane } from '@nimble-latch/core/throttle';
import { ascii, fixedBytes, flag, id, instant, integer, letters, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** One question to somebody's phones: whether a sign-in is theirs. Answered once, by one of them. */
export class PushRequest extends Model<InferAttributes<PushRequest>, InferCreationAttributes<PushRequest>> {
  declare id: Id;
  declare personId: Id;
  /** Null for the first one of a device, which proves it. */
  declare signInId: Id | null;
  /** The one device that is asked; null where all of the person's are. */
  declare deviceId: Id | null;
  declare applicationId: Id | null;
  declare challenge: Buffer;
  /** What the phone asks for, as it is shown elsewhere; null where nothing has to be typed. */
  declare number: string | null;
  declare state: PushRequestState;
  declare lane: Lane;
  declare source: Buffer | null;
  declare sourceAddress: string | null;
  declare browser: string | null;
  declare createdAt: Date;
  declare validUntil: Date;
  declare shownAt: CreationOptional<Date | null>;
  declare wrong: CreationOptional<number>;
  declare answeredAt: CreationOptional<Date | null>;
  declare answeredBy: CreationOptional<Id | null>;
  /** Only phones that verify their holder are asked. */
  declare unlocked: CreationOptional<boolean>;
  /** The address that the answer came from. */
  declare answeredFrom: CreationOptional<string | null>;
}

export const pushRequests = tableOf(
  PushRequest,
  'push_requests',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    signInId: id.orNone(),
    deviceId: id.orNone(),
    applicationId: id.orNone(),
    challenge: fixedBytes(32)(),
    number: letters(2).orNone(),
    state: word<PushRequestState>()(),
    lane: word<Lane>()(),
    source: fixedBytes(16).orNone(),
    sourceAddress: ascii('varchar(45)', 'ascii_bin').orNone(),
    browser: line(400).orNone(),
    createdAt: instant(),
    validUntil: instant(),
    shownAt: instant.orNone(),
    wrong: integer({ first: 0 }),
    answeredAt: instant.orNone(),
    answeredBy: id.orNone(),
    unlocked: flag({ first: false }),
    answeredFrom: ascii('varchar(45)', 'ascii_bin').orNone(),
  },
  {
    indexes: [
      { name: 'push_requests_person', fields: ['person_id', 'created_at'] },
      { name: 'push_requests_sign_in', fields: ['sign_in_id'] },
      { name: 'push_requests_until', fields: ['valid_until'] },
      { name: 'push_requests_answerer', fields: ['answered_by', 'answered_at'] },
      { name: 'push_requests_answered', fields: ['answered_at'] },
    ],
  },
);

import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { CarrierKind, CarrierState, Id } from '@nimble-latch/core/vocabulary';
import { claim, ascii, id, instant, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The physical thing that carries authenticators. */
export class Carrier extends Model<InferAttributes<Carrier>, InferCreationAttributes<Carrier>> {
  declare id: Id;
  declare personId: Id;
  declare kind: CarrierKind;
  declare state: CarrierState;
  declare label: string;
  declare createdAt: Date;
  declare serial: string | null;
  declare serialKey: string | null;
  declare claim: CreationOptional<number>;
}

export const carriers = tableOf(
  Carrier,
  'carriers',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    kind: word<CarrierKind>()(),
    state: word<CarrierState>()(),
    label: line(60)(),
    createdAt: instant(),
    serial: line(60).orNone(),
    serialKey: ascii('varchar(60)', 'ascii_bin').orNone(),
    claim,
  },
  {
    indexes: [
      { name: 'carriers_person', fields: ['person_id'] },
      { name: 'carriers_serial', fields: ['serial_key'], unique: true },
    ],
  },
);

/** Of an authenticator `a` on a carrier: it is being enrolled or was in use once, so that its carrier is a thing somebody knows. */
export const EVER_USED = "(a.activated_at IS NOT NULL OR a.state NOT IN ('revoked', 'expired'))";

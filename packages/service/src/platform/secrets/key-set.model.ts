import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, KeyPurpose, KeyState } from '@nimble-latch/core/vocabulary';
import { bytes, id, instant, line, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** A key of the key set, sealed by the master key. */
export class StoredKey extends Model<InferAttributes<StoredKey>, InferCreationAttributes<StoredKey>> {
  declare id: Id;
  declare purpose: KeyPurpose;
  declare state: KeyState;
  declare activeFor: KeyPurpose | null;
  declare material: Buffer;
  declare publicPem: string | null;
  declare createdAt: Date;
  declare retiredAt: Date | null;
}

export const keySet = tableOf(
  StoredKey,
  'key_set',
  {
    id: id({ key: true }),
    purpose: word<KeyPurpose>()(),
    state: word<KeyState>()(),
    activeFor: word<KeyPurpose>().orNone(),
    material: bytes(128)(),
    publicPem: line(400).orNone(),
    createdAt: instant(),
    retiredAt: instant.orNone(),
  },
  {
    indexes: [{ name: 'key_set_active', fields: ['active_for'], unique: true }],
  },
);

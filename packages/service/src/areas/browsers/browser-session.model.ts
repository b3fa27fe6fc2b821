import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, keyId, line, longText } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Somebody signed in at the sign-in pages: what single sign-on goes by. */
export class BrowserSession extends Model<InferAttributes<BrowserSession>, InferCreationAttributes<BrowserSession>> {
  declare id: Id;
  declare personId: Id;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare proofs: string;
  declare label: string;
  declare createdAt: Date;
  declare seenAt: Date;
  declare expiresAt: Date;
}

export const browserSessions = tableOf(
  BrowserSession,
  'browser_sessions',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    proofs: longText('text')(),
    label: line(120)(),
    createdAt: instant(),
    seenAt: instant(),
    expiresAt: instant(),
  },
  {
    indexes: [
      { name: 'browser_sessions_expires', fields: ['expires_at'] },
      { name: 'browser_sessions_person', fields: ['person_id'] },
    ],
  },
);

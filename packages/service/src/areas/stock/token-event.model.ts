import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, TokenEvent } from '@nimble-latch/core/vocabulary';
import { id, instant, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What happened to a token. */
export class TokenStory extends Model<InferAttributes<TokenStory>, InferCreationAttributes<TokenStory>> {
  declare id: Id;
  declare tokenId: Id;
  declare event: TokenEvent;
  declare at: Date;
  declare byId: Id | null;
  declare personId: Id | null;
  declare note: string | null;
}

export const tokenEvents = tableOf(
  TokenStory,
  'token_events',
  {
    id: id({ key: true }),
    tokenId: id({ of: { table: 'tokens', gone: 'CASCADE' } }),
    event: word<TokenEvent>()(),
    at: instant(),
    byId: id.orNone(),
    personId: id.orNone(),
    note: line(200).orNone(),
  },
  {
    indexes: [{ name: 'token_events_token', fields: ['token_id', 'id'] }],
  },
);

import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, line, longText } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A browser that need not prove again for a rule, for some days. */
export class RememberedBrowser extends Model<
  InferAttributes<RememberedBrowser>,
  InferCreationAttributes<RememberedBrowser>
> {
  declare id: Id;
  declare browserId: Id;
  declare personId: Id;
  declare rule: string;
  declare proofs: string;
  declare label: string;
  declare createdAt: Date;
  declare until: Date;
}

export const rememberedBrowsers = tableOf(
  RememberedBrowser,
  'remembered_browsers',
  {
    id: id({ key: true }),
    browserId: id({ of: { table: 'browsers', gone: 'CASCADE' } }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    rule: line(120)(),
    proofs: longText('text')(),
    label: line(120)(),
    createdAt: instant(),
    until: instant(),
  },
  {
    indexes: [
      { name: 'remembered_browsers_person', fields: ['person_id'] },
      { name: 'remembered_browsers_rule', fields: ['browser_id', 'person_id', 'rule'], unique: true },
      { name: 'remembered_browsers_until', fields: ['until'] },
    ],
  },
);

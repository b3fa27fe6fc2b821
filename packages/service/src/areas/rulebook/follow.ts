import { write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes } from '../../platform/ids.js';

/** Says by which version of the rulebook this node decides, as soon as it follows another. */
export function followRulebook(deps: Deps): () => Promise<void> {
  let told: number | undefined;
  return async () => {
    const { number } = await deps.rulebook.current();
    if (number === told) return;
    await write({ sequelize: deps.sequelize }, 'UPDATE nodes SET rulebook_version = :number WHERE id = :id', {
      number,
      id: idBytes(deps.trail.id),
    });
    told = number;
  };
}

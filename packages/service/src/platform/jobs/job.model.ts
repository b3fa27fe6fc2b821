import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, JobState } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, line, longText, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** Work that is done in the background. */
export class Job extends Model<InferAttributes<Job>, InferCreationAttributes<Job>> {
  declare id: Id;
  declare kind: string;
  declare singleton: string | null;
  declare state: JobState;
  declare runAt: Date;
  declare leaseHolder: Id | null;
  declare leaseUntil: Date | null;
  declare attempts: CreationOptional<number>;
  declare payload: string;
  declare progress: string;
  declare lastError: string | null;
  declare createdAt: Date;
}

export const jobs = tableOf(
  Job,
  'jobs',
  {
    id: id({ key: true }),
    kind: word()(),
    singleton: word().orNone(),
    state: word<JobState>()(),
    runAt: instant(),
    leaseHolder: id.orNone(),
    leaseUntil: instant.orNone(),
    attempts: integer({ first: 0 }),
    payload: longText('text')(),
    progress: line(200)(),
    lastError: line(200).orNone(),
    createdAt: instant(),
  },
  {
    indexes: [
      { name: 'jobs_due', fields: ['state', 'run_at'] },
      { name: 'jobs_singleton', fields: ['singleton'], unique: true },
    ],
  },
);

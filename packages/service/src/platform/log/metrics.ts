import { Counter, Gauge, Histogram, Registry, collectDefaultMetrics } from 'prom-client';

export type Metrics = ReturnType<typeof createMetrics>;

/** Figures for Prometheus; labels are closed sets, never names of people. */
export function createMetrics() {
  const registry = new Registry();
  collectDefaultMetrics({ register: registry, prefix: 'nlatch_' });
  const shared = { registers: [registry] };
  return {
    registry,
    requests: new Histogram({
      name: 'nlatch_request_seconds',
      help: 'Time to answer, by call and status',
      labelNames: ['route', 'status'] as const,
      buckets: [0.002, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5],
      ...shared,
    }),
    retries: new Counter({
      name: 'nlatch_transaction_retries_total',
      help: 'Use cases run again after a conflict',
      ...shared,
    }),
    sealed: new Counter({ name: 'nlatch_trail_sealed_total', help: 'Trail entries sealed', ...shared }),
    unsealed: new Gauge({
      name: 'nlatch_trail_unsealed',
      help: 'Trail entries of this node that wait for a seal',
      ...shared,
    }),
    clockOff: new Gauge({
      name: 'nlatch_clock_off_seconds',
      help: 'How far this node’s clock is from the database’s',
      ...shared,
    }),
    databaseServes: new Gauge({
      name: 'nlatch_database_serves',
      help: 'Whether a database server served when this node asked it last',
      labelNames: ['member'] as const,
      ...shared,
    }),
    databaseUsed: new Gauge({
      name: 'nlatch_database_used',
      help: 'Whether this node works with a database server',
      labelNames: ['member'] as const,
      ...shared,
    }),
    databaseWaiting: new Gauge({
      name: 'nlatch_database_waiting_writes',
      help: 'Writes of other members of a cluster that waited at a member when it was asked last',
      labelNames: ['member'] as const,
      ...shared,
    }),
    databaseMoves: new Gauge({
      name: 'nlatch_database_moves',
      help: 'How often this node went on to another database server since it started',
      ...shared,
    }),
    outbox: new Counter({
      name: 'nlatch_outbox_total',
      help: 'Messages handled, by kind and outcome',
      labelNames: ['kind', 'outcome'] as const,
      ...shared,
    }),
  };
}

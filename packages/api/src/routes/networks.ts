import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { id, line, nothing, version } from '../schema.js';

const country = z
  .string()
  .regex(/^[A-Z]{2}$/, { error: hint('country') })
  .nullable();

const network = z.strictObject({
  id,
  name: z.string(),
  ranges: z.array(z.string()).describe('CIDR; IPv4 mapped into IPv6 as IPv4'),
  country: z.string().nullable().describe('ISO 3166-1, two letters'),
  city: z.string().nullable(),
  anonymising: z.boolean().describe('Known to hide where people are, such as the exits of an anonymising service'),
  version,
});

const fields = {
  name: line(LIMITS.networkNameChars),
  ranges: z.array(line(60)).min(1).max(LIMITS.rangesPerNetwork),
  country,
  city: line(LIMITS.networkNameChars).nullable(),
  anonymising: z.boolean(),
};
const byId = z.strictObject({ id });

export const networkRoutes = {
  'networks.list': route('networks.list', {
    summary: 'Networks, by name',
    access: operator('rulebook.read', 'within'),
    answer: z.strictObject({ rows: z.array(network) }),
    trail: READS,
  }),
  'networks.locate': route('networks.locate', {
    summary: 'The networks that an address lies in, the narrowest range first',
    access: operator('rulebook.read', 'within'),
    query: z.strictObject({ address: line(60) }),
    answer: z.strictObject({ rows: z.array(network) }),
    trail: READS,
  }),
  'networks.add': route('networks.add', {
    summary: 'Name a list of address ranges',
    access: operator('rulebook.write'),
    body: z.strictObject({
      ...fields,
      country: country.default(null),
      city: fields.city.default(null),
      anonymising: fields.anonymising.default(false),
    }),
    answer: network,
    status: 201,
    errors: ['name-taken', 'limit-reached'],
    idempotent: true,
    etag: 'answers',
    trail: ['network.added'],
  }),
  'networks.edit': route('networks.edit', {
    summary: 'Change a network; every node follows within seconds',
    access: operator('rulebook.write'),
    params: byId,
    body: z.strictObject(fields).partial(),
    answer: network,
    etag: 'requires',
    errors: ['name-taken', 'changed-meanwhile', 'if-match-needed'],
    trail: ['network.changed'],
  }),
  'networks.delete': route('networks.delete', {
    summary: 'Delete a network',
    access: operator('rulebook.write'),
    params: byId,
    answer: nothing,
    freshProof: true,
    errors: ['named-by-rule'],
    trail: ['network.deleted'],
  }),
};

import { existsSync, readFileSync } from 'node:fs';
import ipaddr from 'ipaddr.js';
import type { Member } from './db/members.js';
import type { Internal } from './outward/ask.js';
import { z } from 'zod';
import { hostWords as words } from './host-words.js';
import { say } from '@nimble-latch/api';

export interface DatabaseConfig {
  /** Servers of one database, the preferred one first: one, or the members of a cluster. */
  readonly members: readonly Member[];
  readonly name: string;
  readonly user: string;
  readonly password: string;
  readonly tlsCaFile: string | undefined;
  readonly connections: number;
  /** How long a request waits for a free connection; undefined: as long as is usual for so many members. */
  readonly waitSeconds: number | undefined;
}

export interface Config {
  readonly database: DatabaseConfig;
  readonly masterKeyFile: string;
  readonly listen: { readonly host: string; readonly port: number };
  readonly publicUrl: URL;
  readonly tls: { readonly certFile: string; readonly keyFile: string } | undefined;
  readonly trustedProxies: readonly string[];
  readonly logLevel: string;
  /** What may be fetched from beside public addresses. */
  readonly internal: Internal;
  readonly smtp: { readonly url: string; readonly from: string } | undefined;
  /**
   * For tests: what goes wrong on purpose. `first-runs`: each use case's first run fails, as by a deadlock, when all but its COMMIT is done.
   * `slow-commits`: each waits a while with its COMMIT, so that those that are sent at the same moment do meet.
   */
  readonly faults: 'first-runs' | 'slow-commits' | undefined;
  /** How long a node that is ended says that it is not ready, and still takes calls: a balancer has to notice. */
  readonly drainSeconds: number;
  readonly retentionMonths: number;
}

/** The environment is not as it must be; every line names a variable and what to set. */
export class ConfigError extends Error {
  constructor(readonly lines: readonly string[]) {
    super(lines.join('\n'));
  }
}

/** Names or addresses, separated by commas; their case says nothing. */
const listed = z.string().transform((text) =>
  text
    .split(',')
    .map((part) => part.trim().toLowerCase())
    .filter(Boolean),
);
const port = z.coerce.number().int().min(0).max(65535);
const existingFile = z.string().refine(existsSync, { error: words.settings.missingFile });
const network = z.string().refine((text) => (text.includes('/') ? ipaddr.isValidCIDR(text) : ipaddr.isValid(text)), {
  error: words.settings.network,
});

const isRange = (text: string): boolean => (text.includes('/') ? ipaddr.isValidCIDR(text) : ipaddr.isValid(text));

/** A name or address, an IPv6 address in brackets, and a port where it is not MariaDB's own. */
const HOST_AND_PORT = /^(\[[0-9a-fA-F:.]+\]|[\w.-]+)(?::(\d{1,5}))?$/;

const isHostAndPort = (text: string): boolean => {
  const found = HOST_AND_PORT.exec(text);
  return found !== null && (found[2] === undefined || (Number(found[2]) > 0 && Number(found[2]) <= 65_535));
};

const schema = z.object({
  NLATCH_DATABASE_HOST: z.string().min(1).optional(),
  NLATCH_DATABASE_PORT: port.default(3306),
  NLATCH_DATABASE_HOSTS: listed
    .pipe(
      z
        .array(z.string().refine(isHostAndPort, { error: words.settings.databaseHosts }))
        .min(1)
        .max(9),
    )
    .refine((all) => new Set(all).size === all.length, { error: words.settings.databaseHostTwice })
    .optional(),
  NLATCH_DATABASE_NAME: z.string().min(1).default('nimble_latch'),
  NLATCH_DATABASE_USER: z.string().min(1).default('nimble_latch'),
  NLATCH_DATABASE_PASSWORD_FILE: existingFile.optional(),
  NLATCH_DATABASE_PASSWORD: z.string().optional(),
  NLATCH_DATABASE_TLS_CA_FILE: existingFile.optional(),
  NLATCH_DATABASE_CONNECTIONS: z.coerce.number().int().min(2).max(200).default(16),
  NLATCH_DATABASE_WAIT_SECONDS: z.coerce.number().int().min(1).max(60).optional(),
  NLATCH_MASTER_KEY_FILE: z.string({ error: words.settings.masterKeyFile }).min(1),
  NLATCH_LISTEN: z
    .string()
    .regex(/^(\[[0-9a-fA-F:]+\]|[\w.-]+):\d+$/, { error: words.settings.listen })
    .default('127.0.0.1:8470'),
  NLATCH_PUBLIC_URL: z
    .url({
      protocol: /^https?$/,
      error: words.settings.publicUrl,
    })
    .optional(),
  NLATCH_TLS_CERT_FILE: existingFile.optional(),
  NLATCH_TLS_KEY_FILE: existingFile.optional(),
  NLATCH_TRUSTED_PROXIES: listed.pipe(z.array(network)).default([]),
  NLATCH_LOG_LEVEL: z.enum(['silent', 'fatal', 'error', 'warn', 'info', 'debug']).default('info'),
  NLATCH_SMTP_URL: z.url({ protocol: /^smtps?$/, error: words.settings.smtpUrl }).optional(),
  NLATCH_MAIL_FROM: z.string().min(3).optional(),
  NLATCH_INTERNAL_ADDRESSES: listed
    .pipe(
      z.array(
        z.union([network, z.string().regex(/^[a-z0-9](?:[a-z0-9.-]*[a-z0-9])?$/, { error: words.settings.internal })]),
      ),
    )
    .default([]),
  NLATCH_TEST_FAULTS: z.enum(['first-runs', 'slow-commits']).optional(),
  NLATCH_DRAIN_SECONDS: z.coerce.number().int().min(0).max(300).default(0),
  NLATCH_RETENTION_MONTHS: z.coerce.number().int().min(1).max(120).default(13),
});

const LOOPBACK_NAMES = new Set(['localhost']);

/** Whether a host is this machine only. */
export function isLoopback(host: string): boolean {
  const bare = host.replace(/^\[|\]$/g, '');
  if (LOOPBACK_NAMES.has(bare)) return true;
  return ipaddr.isValid(bare) && ipaddr.parse(bare).range() === 'loopback';
}

/**
 * Reads the service's settings from the environment. Throws {@link ConfigError} that names everything wrong at once.
 */
export function readConfig(env: NodeJS.ProcessEnv): Config {
  const given = Object.fromEntries(
    Object.entries(env).filter(([name, value]) => name.startsWith('NLATCH_') && value !== ''),
  );
  const known = new Set(Object.keys(schema.shape));
  const result = schema.safeParse(given);
  const lines: string[] = [];
  for (const name of Object.keys(given)) {
    // NLATCH_SERVER and the like belong to the client and may stand in the same environment.
    if (!known.has(name) && !CLIENT_VARIABLES.has(name)) lines.push(say(words.settings.unknown, { name }));
  }
  if (!result.success) {
    for (const issue of result.error.issues) lines.push(`${issue.path.join('.')}: ${issue.message}.`);
    throw new ConfigError(lines);
  }
  const e = result.data;
  const split = e.NLATCH_LISTEN.lastIndexOf(':');
  const listen = {
    host: e.NLATCH_LISTEN.slice(0, split).replace(/^\[|\]$/g, ''),
    port: Number(e.NLATCH_LISTEN.slice(split + 1)),
  };
  if (listen.port > 65535) lines.push(words.settings.portTooHigh);
  if (Boolean(e.NLATCH_TLS_CERT_FILE) !== Boolean(e.NLATCH_TLS_KEY_FILE)) lines.push(words.settings.tlsHalf);
  const tls =
    e.NLATCH_TLS_CERT_FILE && e.NLATCH_TLS_KEY_FILE
      ? { certFile: e.NLATCH_TLS_CERT_FILE, keyFile: e.NLATCH_TLS_KEY_FILE }
      : undefined;
  if (!isLoopback(listen.host) && !tls && e.NLATCH_TRUSTED_PROXIES.length === 0)
    lines.push(say(words.settings.inTheClear, { host: listen.host }));
  const publicUrl = new URL(e.NLATCH_PUBLIC_URL ?? `${tls ? 'https' : 'http'}://localhost:${listen.port}`);
  if (publicUrl.protocol === 'http:' && !isLoopback(publicUrl.hostname)) lines.push(words.settings.publicUrlPlain);
  if (e.NLATCH_DATABASE_HOST && e.NLATCH_DATABASE_HOSTS) lines.push(words.settings.databaseHostBoth);
  if (e.NLATCH_SMTP_URL && !e.NLATCH_MAIL_FROM) lines.push(words.settings.mailFrom);
  if (lines.length > 0) throw new ConfigError(lines);
  return {
    database: {
      members: membersOf(e.NLATCH_DATABASE_HOSTS, e.NLATCH_DATABASE_PORT) ?? [
        { host: e.NLATCH_DATABASE_HOST ?? '127.0.0.1', port: e.NLATCH_DATABASE_PORT },
      ],
      name: e.NLATCH_DATABASE_NAME,
      user: e.NLATCH_DATABASE_USER,
      password: e.NLATCH_DATABASE_PASSWORD_FILE
        ? readFileSync(e.NLATCH_DATABASE_PASSWORD_FILE, 'utf8').trim()
        : (e.NLATCH_DATABASE_PASSWORD ?? ''),
      tlsCaFile: e.NLATCH_DATABASE_TLS_CA_FILE,
      connections: e.NLATCH_DATABASE_CONNECTIONS,
      waitSeconds: e.NLATCH_DATABASE_WAIT_SECONDS,
    },
    masterKeyFile: e.NLATCH_MASTER_KEY_FILE,
    listen,
    publicUrl,
    tls,
    trustedProxies: e.NLATCH_TRUSTED_PROXIES,
    logLevel: e.NLATCH_LOG_LEVEL,
    smtp: e.NLATCH_SMTP_URL ? { url: e.NLATCH_SMTP_URL, from: e.NLATCH_MAIL_FROM! } : undefined,
    faults: e.NLATCH_TEST_FAULTS,
    drainSeconds: e.NLATCH_DRAIN_SECONDS,
    retentionMonths: e.NLATCH_RETENTION_MONTHS,
    internal: {
      names: new Set(e.NLATCH_INTERNAL_ADDRESSES.filter((one) => !isRange(one))),
      ranges: e.NLATCH_INTERNAL_ADDRESSES.filter(isRange),
    },
  };
}

const membersOf = (hosts: readonly string[] | undefined, port: number): readonly Member[] | undefined =>
  hosts?.map((text) => {
    const [, host, given] = HOST_AND_PORT.exec(text)!;
    return { host: host!.replace(/^\[|\]$/g, ''), port: given === undefined ? port : Number(given) };
  });

const CLIENT_VARIABLES = new Set(['NLATCH_SERVER', 'NLATCH_TOKEN', 'NLATCH_CONFIG_DIR', 'NLATCH_CA_FILE']);
/** Every variable that the service reads, for the documentation's test. */
export const CONFIG_VARIABLES = Object.keys(schema.shape);

import { createWriteStream } from 'node:fs';
import { finished } from 'node:stream/promises';
import { normaliseLoginName } from '@nimble-latch/core/loginnames';
import { Command, CommanderError } from 'commander';
import { hasOwner, issueHostLink, LINK_MINUTES } from './access/host-links.js';
import { issueAccessToken } from './access/access-tokens.js';
import { beat } from './background/node-heartbeat.js';
import { createKeys, rotateKey } from './chores/keys.js';
import { anchorsOf, exportTrail, publicKeysOf, verify } from './chores/trail.js';
import { ConfigError, readConfig } from './config.js';
import { connectDatabase } from './db/connect.js';
import { describeDatabaseError, isUnavailable } from './db/errors.js';
import { migrate, UnknownMigrations } from './db/migrate.js';
import { selectOne } from './db/sql.js';
import { inTransaction } from './db/unit-of-work.js';
import type { Deps } from './deps.js';
import { text } from './ids.js';
import { closeRuntime, openRuntime, StartError, VERSION } from './runtime.js';
import { serve, startedText } from './serve.js';

const say = (line: string) => void process.stdout.write(`${line}\n`);

/** Runs a chore with an open key set, and seals what it wrote on the trail. */
async function chore(work: (deps: Deps) => Promise<void>): Promise<void> {
  const config = readConfig(process.env);
  // A chore's own output is for reading; warnings still show.
  const deps = await openRuntime({ ...config, logLevel: config.logLevel === 'silent' ? 'silent' : 'warn' });
  try {
    await beat(deps, deps.now());
    await work(deps);
  } finally {
    await closeRuntime(deps);
  }
}

async function migrateDatabase(waitSeconds?: number): Promise<void> {
  const config = readConfig(process.env);
  const sequelize = connectDatabase(config.database);
  try {
    const applied = await migrate(sequelize, waitSeconds === undefined ? {} : { waitSeconds });
    say(
      applied.length > 0
        ? `Applied ${applied.length} steps, up to ${applied[applied.length - 1]}.`
        : 'The database is up to date.',
    );
  } catch (error) {
    if (error instanceof UnknownMigrations) throw new StartError(`${error.message}\n  try: run the newer release`);
    throw error;
  } finally {
    await sequelize.close();
  }
}

/** The owner that a login name means; the only one when none is named. */
async function findOwner(deps: Deps, typed: string | undefined): Promise<string> {
  const name = typed === undefined ? undefined : normaliseLoginName(typed);
  const rows = await selectOne<{ id: Buffer; n: number }>(
    deps,
    `SELECT p.id, COUNT(*) OVER () AS n FROM persons p JOIN role_grants r ON r.person_id = p.id AND r.role = 'owner'
     WHERE p.state = 'active' ${name?.ok ? 'AND p.id = (SELECT person_id FROM login_names WHERE value = :name)' : name ? 'AND 1 = 0' : ''} LIMIT 1`,
    { name: name?.ok ? name.value : null },
  );
  if (!rows)
    throw new StartError(
      typed === undefined
        ? 'There is no active owner.\n  try: nlatchd set-up-link'
        : 'No active owner has this login name.\n  try: nlatchd owner-link without --for',
    );
  if (typed === undefined && Number(rows.n) > 1)
    throw new StartError('There are several owners.\n  try: nlatchd owner-link --for <login-name>');
  return text(rows.id);
}

function buildProgram(): Command {
  const program = new Command('nlatchd')
    .description(
      'The Nimble Latch service and its host-side chores. Settings come from the environment (docs/operations.md).',
    )
    .version(VERSION)
    .exitOverride()
    .showHelpAfterError('(nlatchd --help lists the chores)');

  program
    .command('serve')
    .description('run the service')
    .option('--migrate', 'bring the database up to date first')
    .action(async (options: { migrate?: boolean }) => {
      if (options.migrate) await migrateDatabase();
      const service = await serve(readConfig(process.env));
      process.stderr.write(startedText(service));
      await new Promise<void>((resolve) => {
        for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => resolve());
      });
      await service.stop();
    });

  program
    .command('migrate')
    .description('bring the database up to date; safe to run on several hosts at once')
    .action(() => migrateDatabase());
  program
    .command('check')
    .description('read the settings and say what is wrong with them')
    .action(() => {
      const config = readConfig(process.env);
      say(`Settings are complete. People will open ${config.publicUrl.origin}`);
    });

  program
    .command('set-up-link')
    .description('make a one-time link that creates the first owner')
    .action(() =>
      chore(async (deps) => {
        if (await hasOwner(deps)) throw new StartError('This installation has an owner.\n  try: nlatchd owner-link');
        say(await issueHostLink(deps, 'set-up', null));
        process.stderr.write(`It works once, for ${LINK_MINUTES} minutes.\n`);
      }),
    );
  program
    .command('owner-link')
    .description('make a one-time link that signs an owner in, for one who lost password or phone')
    .option('--for <login-name>', 'which owner, when there are several')
    .action((options: { for?: string }) =>
      chore(async (deps) => {
        say(await issueHostLink(deps, 'owner', await findOwner(deps, options.for)));
        process.stderr.write(`It works once, for ${LINK_MINUTES} minutes; it is on the trail.\n`);
      }),
    );
  program
    .command('owner-token')
    .description('issue an access token for an owner, for scripts on this host')
    .option('--for <login-name>', 'which owner, when there are several')
    .option('--hours <n>', 'how long it lives', '12')
    .action((options: { for?: string; hours: string }) =>
      chore(async (deps) => {
        const hours = Number(options.hours);
        if (!Number.isInteger(hours) || hours < 1 || hours > 8784)
          throw new StartError('--hours: expected a whole number from 1 to 8784.');
        const owner = await findOwner(deps, options.for);
        const { token } = await inTransaction(
          deps,
          async (work) => await issueAccessToken(deps, work, owner, 'made on the host', hours, null),
        );
        say(token);
      }),
    );

  const keys = program.command('keys').description('the key set of the installation');
  keys
    .command('create')
    .description('make the master key file and the key set where they are missing')
    .action(async () => (await createKeys(readConfig(process.env))).forEach(say));
  keys
    .command('list')
    .description('keys by purpose and state')
    .action(() =>
      chore(async (deps) => {
        for (const row of deps.keys.list())
          say(`${row.purpose.padEnd(8)} ${row.state.padEnd(8)} ${row.createdAt.toISOString()}  ${row.id}`);
      }),
    );
  keys
    .command('rotate <purpose>')
    .description('make a new key for a purpose; the running service follows')
    .action((purpose: string) => chore(async (deps) => say(await rotateKey(deps, purpose))));

  const trail = program.command('trail').description('the tamper-evident record');
  trail
    .command('verify')
    .description('verify every entry against its seal; needs no running service')
    .option('--file <export>', 'verify an exported file instead of the database')
    .option('--public-keys <file>', 'trust these keys rather than those of the installation')
    .option('--anchors <file>', 'heads kept elsewhere: shows a chain that was cut short at its end')
    .action(async (options: { file?: string; publicKeys?: string; anchors?: string }) => {
      const report = async (deps?: Deps) => {
        const result = await verify(deps, options);
        for (const finding of result.findings)
          say(`${finding.what}: writer ${finding.writer}, seal ${finding.seal}: ${finding.detail}`);
        say(
          `${result.sealed} entries are as they were sealed, ${result.unsealed} wait for their seal, ${result.findings.length} findings.`,
        );
        if (options.file && !options.publicKeys)
          process.stderr.write(
            'The keys came with the file itself; give --public-keys to prove more than that it is whole.\n',
          );
        if (result.findings.length > 0) process.exitCode = 1;
      };
      if (options.file) await report();
      else await chore(report);
    });
  trail
    .command('export <file>')
    .description('write the whole trail as lines of JSON')
    .action((file: string) =>
      chore(async (deps) => {
        const out = createWriteStream(file, { mode: 0o600 });
        const count = await exportTrail(deps, out);
        out.end();
        await finished(out);
        say(`Wrote ${count} entries to ${file}.`);
      }),
    );
  trail
    .command('public-keys')
    .description('print the keys that verify the seals')
    .action(() => chore(async (deps) => say(JSON.stringify(publicKeysOf(deps), null, 2))));
  trail
    .command('anchors')
    .description('print the heads of all chains, to keep elsewhere')
    .action(() => chore(async (deps) => say(JSON.stringify(await anchorsOf(deps), null, 2))));

  program
    .command('demo')
    .description('fill an empty installation with the made-up Port of Wexmoor')
    .action(() =>
      chore(async (deps) => {
        const { loadDemo } = await import('./demo/load.js');
        say(await loadDemo(deps));
      }),
    );
  return program;
}

const FILE_ERRORS: Readonly<Record<string, string>> = {
  ENOENT: 'there is no such file or folder',
  EACCES: 'this account may not use it',
  EPERM: 'this account may not use it',
  EISDIR: 'is a folder',
  ENOTDIR: 'a part of the way is not a folder',
  EEXIST: 'is there already',
  ENOSPC: 'the disk is full',
  EROFS: 'the disk cannot be written',
};

/** A file that could not be used. */
function fileError(error: unknown): { path: string; why: string } | undefined {
  const { code, path, syscall } = error as NodeJS.ErrnoException;
  return error instanceof Error && syscall !== undefined && path !== undefined
    ? { path, why: FILE_ERRORS[code ?? ''] ?? `cannot be used (${code})` }
    : undefined;
}

/** One line what, then what to try. Anything unexpected is named by its class only: its text may hold data. */
function explain(error: unknown): string {
  if (error instanceof ConfigError)
    return `error: the settings are not complete\n${error.lines.map((line) => `  ${line}`).join('\n')}\n  try: docs/operations.md lists all settings`;
  if (error instanceof StartError) return `error: ${error.message}`;
  if (isUnavailable(error))
    return 'error: the database went away.\n  try: check that MariaDB is running, then run this again';
  const file = fileError(error);
  if (file) return `error: ${file.path}: ${file.why}.\n  try: check the name, and who may read or write it`;
  const database = describeDatabaseError(error);
  if (database) return `error: the database refused a statement: ${JSON.stringify(database)}`;
  return `error: something unexpected went wrong (${error instanceof Error ? error.name : typeof error}).\n  try: run it again; if it stays, report it with this line and the release (nlatchd --version)`;
}

try {
  await buildProgram().parseAsync();
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2;
  else {
    process.stderr.write(`${explain(error)}\n`);
    process.exitCode = 1;
  }
}

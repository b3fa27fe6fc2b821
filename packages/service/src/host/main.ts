import type { Id } from '@nimble-latch/core/vocabulary';
import { createWriteStream } from 'node:fs';
import { setFlagsFromString } from 'node:v8';
import { finished } from 'node:stream/promises';
import { normaliseLoginName } from '@nimble-latch/core/loginnames';
import { Command, CommanderError } from 'commander';
import { hasOwner, issueHostLink, LINK_MINUTES } from '../areas/access/host-links.js';
import { issueAccessToken } from '../areas/access/access-tokens.js';
import { beat } from '../platform/jobs/node-heartbeat.js';
import { createKeys, rotateKey } from './chores/keys.js';
import { mendSpellings } from './chores/spellings.js';
import { anchorsOf, exportTrail, publicKeysOf, verify } from './chores/trail.js';
import { ConfigError, readConfig } from '../platform/config.js';
import { describeError } from '../platform/log/logger.js';
import { describeDatabaseError, isUnavailable } from '../platform/db/errors.js';
import { migrate, UnknownMigrations } from '../platform/db/migrate.js';
import { selectOne } from '../platform/db/sql.js';
import { inTransaction } from '../platform/db/unit-of-work.js';
import type { Deps } from '../platform/deps.js';
import { keepSigningKeys } from '../connections/oidc/signing-keys.js';
import { idText } from '../platform/ids.js';
import { closeRuntime, openRuntime, StartError, VERSION, withDatabase } from './runtime.js';
import { hostWords as words } from '../platform/host-words.js';
import { say } from '@nimble-latch/api';

const print = (line: string) => void process.stdout.write(`${line}\n`);

// Collect garbage once the heap has doubled. By default it may grow to four times what is in use, which a busy service
// on a large machine does: half of its memory would be garbage, for a speed that cannot be measured here.
setFlagsFromString('--heap-growing-percent=100');

/** A process that ends tells why, whatever it was: without that nobody can look for the cause. */
function logExits(): void {
  const end = (what: string) => (error: unknown) => {
    process.stderr.write(
      `${JSON.stringify({ level: 'fatal', at: new Date().toISOString(), msg: what, error: describeError(error) })}\n`,
    );
    process.exit(70);
  };
  process.on('uncaughtException', end('ended by an error that nobody caught'));
  process.on('unhandledRejection', end('ended by a failure that nobody waited for'));
  process.on('exit', (code) => {
    if (code !== 0 && code !== 70) process.stderr.write(`${JSON.stringify({ level: 'fatal', msg: 'ended', code })}\n`);
  });
}

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
  try {
    const applied = await withDatabase(
      config,
      async (sequelize) => await migrate(sequelize, waitSeconds === undefined ? {} : { waitSeconds }),
      { patient: true },
    );
    print(
      applied.length > 0
        ? say(words.done.migrated, { count: applied.length, last: applied.at(-1)! })
        : words.done.upToDate,
    );
  } catch (error) {
    if (error instanceof UnknownMigrations)
      throw new StartError(say(words.errors.newerRelease, { what: error.message }));
    throw error;
  }
}

/** The owner that a login name means; the only one when none is named. */
async function findOwner(deps: Deps, typed: string | undefined): Promise<Id> {
  const name = typed === undefined ? undefined : normaliseLoginName(typed);
  const rows = await selectOne<{ id: Buffer; n: number }>(
    deps,
    `SELECT p.id, COUNT(*) OVER () AS n FROM persons p JOIN role_grants r ON r.person_id = p.id AND r.role = 'owner'
     WHERE p.state = 'active' ${name?.ok ? 'AND p.id = (SELECT person_id FROM login_names WHERE value = :name)' : name ? 'AND 1 = 0' : ''} LIMIT 1`,
    { name: name?.ok ? name.value : null },
  );
  if (!rows) throw new StartError(typed === undefined ? words.errors.noOwner : words.errors.ownerUnknown);
  if (typed === undefined && Number(rows.n) > 1) throw new StartError(words.errors.severalOwners);
  return idText(rows.id);
}

function buildProgram(): Command {
  const program = new Command('nlatchd')
    .description(words.help.program)
    .version(VERSION)
    .exitOverride()
    .showHelpAfterError(words.help.after);

  program
    .command('serve')
    .description(words.help.serve)
    .option('--migrate', words.help.serveMigrate)
    .action(async (options: { migrate?: boolean }) => {
      if (options.migrate) await migrateDatabase();
      // Loaded here alone: chores come and go, and need nothing of it.
      const { serve, startedText } = await import('./serve.js');
      const service = await serve(readConfig(process.env));
      process.stderr.write(startedText(service));
      logExits();
      await new Promise<void>((resolve) => {
        // A second signal of the kind ends it at once.
        for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => resolve());
      });
      await service.stop();
    });

  program
    .command('migrate')
    .description(words.help.migrate)
    .action(() => migrateDatabase());
  program
    .command('check')
    .description(words.help.check)
    .action(() => {
      const config = readConfig(process.env);
      print(say(words.done.settingsComplete, { origin: config.publicUrl.origin }));
    });

  program
    .command('set-up-link')
    .description(words.help.setUpLink)
    .action(() =>
      chore(async (deps) => {
        if (await hasOwner(deps)) throw new StartError(words.errors.hasOwner);
        print(await issueHostLink(deps, 'set-up', null));
        process.stderr.write(`${say(words.done.worksOnce, { minutes: LINK_MINUTES })}\n`);
      }),
    );
  program
    .command('owner-link')
    .description(words.help.ownerLink)
    .option('--for <login-name>', words.help.whichOwner)
    .action((options: { for?: string }) =>
      chore(async (deps) => {
        print(await issueHostLink(deps, 'owner', await findOwner(deps, options.for)));
        process.stderr.write(`${say(words.done.worksOnceOnTrail, { minutes: LINK_MINUTES })}\n`);
      }),
    );
  program
    .command('owner-token')
    .description(words.help.ownerToken)
    .option('--for <login-name>', words.help.whichOwner)
    .option('--hours <n>', words.help.hours, '12')
    .action((options: { for?: string; hours: string }) =>
      chore(async (deps) => {
        const hours = Number(options.hours);
        if (!Number.isInteger(hours) || hours < 1 || hours > 8784) throw new StartError(words.errors.hours);
        const owner = await findOwner(deps, options.for);
        const { token } = await inTransaction(
          deps,
          async (work) => await issueAccessToken(deps, work, owner, 'made on the host', hours, null),
        );
        print(token);
      }),
    );

  const keys = program.command('keys').description(words.help.keys);
  keys
    .command('create')
    .description(words.help.keysCreate)
    .action(async () => (await createKeys(readConfig(process.env))).forEach(print));
  keys
    .command('list')
    .description(words.help.keysList)
    .action(() =>
      chore(async (deps) => {
        for (const row of deps.keys.list())
          print(`${row.purpose.padEnd(8)} ${row.state.padEnd(8)} ${row.createdAt.toISOString()}  ${row.id}`);
      }),
    );
  keys
    .command('rotate <purpose>')
    .description(words.help.keysRotate)
    .action((purpose: string) => chore(async (deps) => print(await rotateKey(deps, purpose))));
  keys
    .command('renew-signing')
    .description(words.help.keysRenewSigning)
    .action(() =>
      chore(async (deps) => {
        await keepSigningKeys(deps, { atOnce: true });
        print(words.done.signingRenewed);
      }),
    );

  program
    .command('mend-spellings')
    .description(words.help.mendSpellings)
    .option('--dry-run', words.help.mendSpellingsDry)
    .action((options: { dryRun?: boolean }) =>
      chore(async (deps) => {
        const dryRun = options.dryRun ?? false;
        const found = await mendSpellings(deps, { dryRun });
        const lost = found.filter((one) => one.found === 'lost');
        for (const { where, id, found: how } of found) {
          const sentence =
            how === 'mended'
              ? words.done.spellingFound
              : where.startsWith('trail ')
                ? words.done.spellingTrailLost
                : words.done.spellingLost;
          print(say(sentence, { where, id, what: dryRun ? '' : '; mended' }));
        }
        const told = dryRun ? words.done.spellingsWould : words.done.spellingsMended;
        if (found.length === 0) print(words.done.spellingsNone);
        else print(say(told, { mended: found.length - lost.length, lost: lost.length }));
        if (lost.length > 0) process.exitCode = 1;
      }),
    );

  const trail = program.command('trail').description(words.help.trail);
  trail
    .command('verify')
    .description(words.help.trailVerify)
    .option('--file <export>', words.help.trailVerifyFile)
    .option('--public-keys <file>', words.help.trailVerifyKeys)
    .option('--anchors <file>', words.help.trailVerifyAnchors)
    .action(async (options: { file?: string; publicKeys?: string; anchors?: string }) => {
      const report = async (deps?: Deps) => {
        const result = await verify(deps, options);
        for (const finding of result.findings)
          print(`${finding.what}: writer ${finding.writer}, seal ${finding.seal}: ${finding.detail}`);
        print(
          say(words.done.verified, {
            sealed: result.sealed,
            unsealed: result.unsealed,
            findings: result.findings.length,
          }),
        );
        if (options.file && !options.publicKeys) process.stderr.write(`${words.done.ownKeys}\n`);
        if (result.findings.length > 0) process.exitCode = 1;
      };
      if (options.file) await report();
      else await chore(report);
    });
  trail
    .command('export <file>')
    .description(words.help.trailExport)
    .action((file: string) =>
      chore(async (deps) => {
        const out = createWriteStream(file, { mode: 0o600 });
        const count = await exportTrail(deps, out);
        out.end();
        await finished(out);
        print(say(words.done.exported, { count, file }));
      }),
    );
  trail
    .command('public-keys')
    .description(words.help.trailPublicKeys)
    .action(() => chore(async (deps) => print(JSON.stringify(publicKeysOf(deps), null, 2))));
  trail
    .command('anchors')
    .description(words.help.trailAnchors)
    .action(() => chore(async (deps) => print(JSON.stringify(await anchorsOf(deps), null, 2))));

  program
    .command('demo')
    .description(words.help.demo)
    .option('--people <n>', words.help.demoPeople)
    .option('--fobs <file>', words.help.demoFobs)
    .action((options: { people?: string; fobs?: string }) =>
      chore(async (deps) => {
        const people = options.people === undefined ? undefined : Number(options.people);
        if (people !== undefined && (!Number.isInteger(people) || people < 30 || people > 2_000_000))
          throw new StartError(words.errors.demoPeople);
        const { loadDemo } = await import('./demo/load.js');
        print(await loadDemo(deps, people, options.fobs));
      }),
    );
  return program;
}

/** A file that could not be used. */
function fileError(error: unknown): { path: string; why: string } | undefined {
  const { code, path, syscall } = error as NodeJS.ErrnoException;
  return error instanceof Error && syscall !== undefined && path !== undefined
    ? {
        path,
        why:
          (words.files as Readonly<Record<string, string>>)[code ?? ''] ?? say(words.files.other, { code: code ?? '' }),
      }
    : undefined;
}

/** One line what, then what to try. Anything unexpected is named by its class only: its text may hold data. */
function explain(error: unknown): string {
  if (error instanceof ConfigError)
    return `error: ${words.errors.settings}\n${error.lines.map((line) => `  ${line}`).join('\n')}\n  try: ${words.errors.settingsTry}`;
  if (error instanceof StartError) return `error: ${error.message}`;
  if (isUnavailable(error)) return `error: ${words.errors.databaseGone}`;
  const file = fileError(error);
  if (file) return `error: ${say(words.errors.file, file)}`;
  const database = describeDatabaseError(error);
  if (database) return `error: ${say(words.errors.databaseRefused, { facts: JSON.stringify(database) })}`;
  return `error: ${say(words.errors.unexpected, { name: error instanceof Error ? error.name : typeof error })}`;
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

/** Starts the demo: a private MariaDB, the service on it, the stand-in phone; prints how to get in. */
import { spawn, spawnSync } from 'node:child_process';
import { appendFileSync, chmodSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import {
  chore,
  createDatabase,
  dropDatabase,
  environment,
  NLATCH,
  NLATCHD,
  ROOT,
  STANDIN,
  startService,
} from './lib/installation.mjs';
import { portIsFree, SetupError, startPrivateMariadb } from './lib/private-mariadb.mjs';

/** For whoever works on it: what is changed is built, and runs, while they go on. */
const watches = process.argv.includes('--watch');
const dir = join(ROOT, '.run/demo');
const ports = {
  service: Number(process.env.NLATCH_DEMO_PORT ?? 8470),
  phone: Number(process.env.NLATCH_DEMO_PHONE_PORT ?? 8471),
  planner: Number(process.env.NLATCH_DEMO_PLANNER_PORT ?? 8472),
  traffic: Number(process.env.NLATCH_DEMO_TRAFFIC_PORT ?? 8473),
  mail: Number(process.env.NLATCH_DEMO_MAIL_PORT ?? 8474),
  mailbox: Number(process.env.NLATCH_DEMO_MAILBOX_PORT ?? 8475),
  phones: Number(process.env.NLATCH_DEMO_PHONES_PORT ?? 8477),
  fobs: Number(process.env.NLATCH_DEMO_FOBS_PORT ?? 8478),
  ...(watches ? { console: Number(process.env.NLATCH_DEMO_CONSOLE_PORT ?? 8479) } : {}),
  database: Number(process.env.NLATCH_DEMO_DATABASE_PORT ?? 33070),
};
const say = (line = '') => process.stderr.write(`${line}\n`);

for (const [name, variable] of [
  ['service', 'NLATCH_DEMO_PORT'],
  ['phone', 'NLATCH_DEMO_PHONE_PORT'],
  ['planner', 'NLATCH_DEMO_PLANNER_PORT'],
  ['traffic', 'NLATCH_DEMO_TRAFFIC_PORT'],
  ['mail', 'NLATCH_DEMO_MAIL_PORT'],
  ['mailbox', 'NLATCH_DEMO_MAILBOX_PORT'],
  ['phones', 'NLATCH_DEMO_PHONES_PORT'],
  ['fobs', 'NLATCH_DEMO_FOBS_PORT'],
  ['database', 'NLATCH_DEMO_DATABASE_PORT'],
  ...(watches ? [['console', 'NLATCH_DEMO_CONSOLE_PORT']] : []),
])
  if (!(await portIsFree(ports[name]))) {
    say(`error: port ${ports[name]}, meant for the ${name}, is taken (perhaps by another demo that is running).`);
    say(`  try: ${variable}=${ports[name] + 100} scripts/demo`);
    process.exit(1);
  }

mkdirSync(dir, { recursive: true, mode: 0o700 });
const stops = [];
let stopping;
/** Ends everything in the reverse order of its start; data stay. */
function stop(code) {
  stopping ??= (async () => {
    for (const end of stops.reverse()) await end();
    process.exit(code);
  })();
}
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    say('\n· ending; the data stay in .run/demo');
    stop(0);
  });

/** Puts a key on the stand-in phone, once it is up. */
async function putOnPhone(address, uri) {
  for (let tries = 0; ; tries++) {
    try {
      const headers = { 'content-type': 'application/json' };
      await fetch(`${address}/accounts`, { method: 'POST', headers, body: JSON.stringify({ uri }) });
      return;
    } catch (error) {
      if (tries > 100) throw error;
      await delay(100);
    }
  }
}

try {
  say('· starting a private MariaDB');
  const server = await startPrivateMariadb({ dir: join(dir, 'db'), port: ports.database, durable: true });
  stops.push(() => server.stop());
  const loaded = join(dir, 'loaded');
  const fobs = join(dir, 'fobs.json');
  if (!existsSync(loaded)) {
    // A first run that was cut short left half a demo: begin afresh.
    await dropDatabase(server, 'nimble_latch_demo');
    rmSync(join(dir, 'master.key'), { force: true });
    rmSync(fobs, { force: true });
  }
  const passwordFile = join(dir, 'database-password');
  const kept = existsSync(passwordFile) ? readFileSync(passwordFile, 'utf8') : undefined;
  const database = await createDatabase(server, 'nimble_latch_demo', kept);
  writeFileSync(passwordFile, database.password, { mode: 0o600 });
  const env = environment(database, {
    masterKeyFile: join(dir, 'master.key'),
    port: ports.service,
    publicUrl: `http://localhost:${ports.service}`,
    more: {
      NLATCH_SMTP_URL: `smtp://127.0.0.1:${ports.mail}`,
      NLATCH_MAIL_FROM: 'Nimble Latch <latch@wexmoor.example>',
    },
  });
  const mailbox = spawn(
    process.execPath,
    [STANDIN, 'mailbox', '--smtp-port', String(ports.mail), '--port', String(ports.mailbox)],
    { stdio: 'ignore' },
  );
  stops.push(() => mailbox.kill());
  await chore(env, 'migrate');
  await chore(env, 'keys', 'create');
  if (!existsSync(loaded)) {
    say('· loading the Port of Wexmoor');
    writeFileSync(loaded, await chore(env, 'demo', '--fobs', fobs));
  }
  say('· starting the service');
  // Written as it comes, to be read while it runs.
  const log = join(dir, 'service.log');
  writeFileSync(log, '', { mode: 0o600 });
  let service;
  const startIt = async () => {
    const started = await startService(env, [], (lines) => appendFileSync(log, lines));
    service = started;
    // Ended by itself: the demo is over. Ended to be started anew: another is there by then.
    started.child.once('exit', () => service === started && stop(1));
  };
  if (watches) {
    say('· building the service, and watching what it is made of');
    const { startWatching } = await import('./lib/watching.mjs');
    const restart = async () => {
      const before = service;
      service = undefined;
      // Pages that listen keep it for as long as they may; nobody who works on it waits for those.
      const over = setTimeout(() => before?.child.kill('SIGKILL'), 1_500);
      await before?.stop();
      clearTimeout(over);
      await startIt();
      say(`· the service was built and started anew (${new Date().toLocaleTimeString()})`);
    };
    const address = `http://localhost:${ports.service}`;
    stops.push(await startWatching({ restart, service: address, port: ports.console, say }));
  }
  await startIt();
  stops.push(() => service?.stop());
  const phone = spawn(process.execPath, [STANDIN, 'phone', 'serve', '--port', String(ports.phone)], {
    stdio: 'ignore',
  });
  stops.push(() => phone.kill());
  const drawerOfFobs = spawn(
    process.execPath,
    [STANDIN, 'fob', 'serve', '--fobs', fobs, '--port', String(ports.fobs)],
    {
      stdio: 'ignore',
    },
  );
  stops.push(() => drawerOfFobs.kill());

  const configDir = join(dir, 'cli');
  rmSync(configDir, { recursive: true, force: true });
  mkdirSync(configDir, { mode: 0o700 });
  const token = await chore(env, 'owner-token', '--for', 'ines.marlow');
  const credentials = {
    server: `http://localhost:${ports.service}`,
    token,
    expiresAt: new Date(Date.now() + 12 * 3_600_000).toISOString(),
  };
  writeFileSync(
    join(dir, 'addresses.json'),
    JSON.stringify(Object.fromEntries(Object.entries(ports).map(([name, port]) => [name, `http://localhost:${port}`]))),
  );
  writeFileSync(join(configDir, 'access.json'), JSON.stringify(credentials), { mode: 0o600 });
  const client = join(dir, 'nlatch');
  writeFileSync(client, `#!/bin/sh\nNLATCH_CONFIG_DIR='${configDir}' exec '${process.execPath}' '${NLATCH}' "$@"\n`);
  chmodSync(client, 0o755);
  // The chores of the host, on the demo's own installation. It holds the password of the database.
  const host = join(dir, 'nlatchd');
  const quoted = (text) => `'${text.replaceAll("'", `'\\''`)}'`;
  const settings = Object.entries(env).filter(([name]) => name.startsWith('NLATCH_'));
  const lines = settings.map(([name, value]) => `export ${name}=${quoted(value)}\n`).join('');
  writeFileSync(host, `#!/bin/sh\n${lines}exec ${quoted(process.execPath)} ${quoted(NLATCHD)} "$@"\n`, { mode: 0o700 });
  chmodSync(host, 0o700);
  const run = (...args) => runWith('', ...args);
  const runWith = (input, ...args) => {
    const answer = spawnSync(client, args, { encoding: 'utf8', input });
    if (answer.status !== 0) throw new Error(answer.stderr);
    return answer.stdout;
  };
  // The owner has a second factor, as they would; the stand-in phone forgets it when it stops, and is given it again.
  const ownerApp = join(dir, 'owner-app.json');
  if (!existsSync(ownerApp)) {
    const { keyUri, authenticator } = JSON.parse(run('keyring', 'enrol-totp', 'ines.marlow', '--later', '--json'));
    const shown = spawnSync(process.execPath, [STANDIN, 'phone', 'code'], { input: keyUri, encoding: 'utf8' });
    runWith(shown.stdout, 'keyring', 'prove', authenticator.id);
    writeFileSync(ownerApp, JSON.stringify({ keyUri }), { mode: 0o600 });
  }
  await putOnPhone(`http://localhost:${ports.phone}`, JSON.parse(readFileSync(ownerApp, 'utf8')).keyUri);
  const drawer = join(dir, 'phones.json');
  if (!existsSync(drawer)) {
    say('· handing out phones that approve');
    for (const [loginName, habit] of [
      ['hedda.lund', 'approves'],
      ['gunnar.eide', 'by-hand'],
      ['jory.penhale', 'by-hand'],
    ]) {
      const { link, authenticator } = JSON.parse(run('keyring', 'enrol-phone', loginName, '--later', '--json'));
      const followed = spawnSync(process.execPath, [
        STANDIN,
        'pocket',
        'follow',
        link,
        '--habit',
        habit,
        '--keys',
        drawer,
      ]);
      if (followed.status !== 0) throw new Error(followed.stderr.toString());
      run('keyring', 'prove-phone', authenticator.id);
    }
  }
  const phones = spawn(
    process.execPath,
    [STANDIN, 'pocket', 'serve', '--keys', drawer, '--port', String(ports.phones)],
    { stdio: 'ignore' },
  );
  stops.push(() => phones.kill());
  const planner = join(dir, 'berth-planner.json');
  if (!existsSync(planner)) {
    say('· connecting the Berth Planner by OpenID Connect');
    const address = `http://localhost:${ports.planner}`;
    const connect = (...more) => {
      const answer = spawnSync(
        client,
        [
          ...['application', 'connect', 'Berth Planner', '--json', '--redirect', `${address}/signed-in`],
          ...['--after-sign-out', `${address}/`, ...more],
        ],
        { encoding: 'utf8' },
      );
      if (answer.status !== 0) throw new Error(answer.stderr);
      const { connection, key } = JSON.parse(answer.stdout);
      return { id: connection.id, secret: key };
    };
    const clients = {
      issuer: `http://localhost:${ports.service}`,
      address,
      whole: connect('--label', 'Sign-in pages'),
      secondStep: connect('--label', 'Second step only', '--claims', 'password-checked'),
    };
    writeFileSync(planner, JSON.stringify(clients), { mode: 0o600 });
  }
  const berths = spawn(process.execPath, [STANDIN, 'berth-planner', '--clients', planner], { stdio: 'ignore' });
  stops.push(() => berths.kill());
  const traffic = join(dir, 'vessel-traffic.json');
  if (!existsSync(traffic)) {
    say('· connecting Vessel Traffic, which asks on its own pages');
    const address = `http://localhost:${ports.traffic}`;
    run('application', 'origins', 'Vessel Traffic', address, 'https://vessel-traffic.wexmoor.example');
    const { key } = JSON.parse(run('application', 'connect', 'Vessel Traffic', '--json', '--label', 'Own pages'));
    const connection = { service: `http://localhost:${ports.service}`, address, key };
    writeFileSync(traffic, JSON.stringify(connection), { mode: 0o600 });
  }
  const own = spawn(process.execPath, [STANDIN, 'vessel-traffic', '--connection', traffic], { stdio: 'ignore' });
  stops.push(() => own.kill());
  const link = (await chore(env, 'owner-link', '--for', 'ines.marlow')).split('\n')[0];

  say();
  say('Nimble Latch is up, with the made-up Port of Wexmoor in it.');
  say();
  say(`  Console              http://localhost:${ports.service}`);
  if (watches) say(`  Console, as it is    http://localhost:${ports.console}  (changes show in it at once)`);
  say(`  Sign in as owner     ${link}`);
  say('                       (works once; Ines Marlow, login name ines.marlow, whose codes the stand-in phone shows)');
  say('  Everybody’s password harbour lights at dawn');
  say(`  Stand-in phone       http://localhost:${ports.phone}  (an authenticator app)`);
  say(`  Stand-in fobs        http://localhost:${ports.fobs}  (the hardware tokens, and what they show)`);
  say(
    `  Phones that approve  http://localhost:${ports.phones}  (Hedda Lund’s by itself, where no number is asked for)`,
  );
  say(`  Mailbox              http://localhost:${ports.mailbox}  (everything that is sent by mail ends there)`);
  say(`  Berth Planner        http://localhost:${ports.planner}  (an application that sends people to sign in)`);
  say(`  Vessel Traffic       http://localhost:${ports.traffic}  (an application that asks on its own pages)`);
  say();
  say(`  Log of the service   ${log}`);
  say();
  say('Commands to try, already signed in (in another terminal):');
  say('  .run/demo/nlatch person list');
  say('  .run/demo/nlatch keyring enrol-totp bram.oster');
  say('  .run/demo/nlatch walk-through dagny.holm --at "Berth Planner"');
  say('  .run/demo/nlatchd --help');
  say();
  say('Ctrl-C ends all of it; the data stay in .run/demo (delete it to begin afresh).');
} catch (error) {
  say(`error: ${error instanceof SetupError || error instanceof Error ? error.message : 'unknown'}`);
  stop(1);
}

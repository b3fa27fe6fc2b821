import { readFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { Argument, Command, CommanderError, Option } from 'commander';
import { BadPicture, codeAt, readPicture } from './phone/code.js';
import { createPlanner, type PlannerClients } from './berths/server.js';
import { createMailbox } from './mailbox/server.js';
import { FobDrawer } from './fob/drawer.js';
import { createFobs } from './fob/server.js';
import { createPhone } from './phone/server.js';
import { Drawer, HABITS, type Habit } from './pocket/drawer.js';
import { PhoneRefused, type PhoneRequest } from './pocket/phone.js';
import { createPocket } from './pocket/server.js';
import { createPushService } from './push-service/server.js';
import { createTraffic, type TrafficConnection } from './traffic/server.js';

const program = new Command('nlatch-standin')
  .description('Simulated outside devices, for trying Nimble Latch out and for its tests. Not for production.')
  .exitOverride();
/** One question in a line. */
const saidOf = ({ kind, application, network, browser, asksNumber, until }: PhoneRequest): string =>
  [
    kind === 'test' ? 'a test' : `signs in at ${application ?? '?'}`,
    network,
    browser,
    asksNumber ? 'asks for the number' : 'asks for no number',
    `until ${until}`,
  ]
    .filter(Boolean)
    .join(', ');

const phone = program.command('phone').description('a phone that shows one-time codes');

phone
  .command('code')
  .description('read the text of a QR picture from standard input and print its code now')
  .option('--off <seconds>', 'as if the clock of the phone were ahead by so much (negative: behind)', '0')
  .option('--watch', 'go on printing as the code changes')
  .action(async (options: { off: string; watch?: boolean }) => {
    const account = readPicture(readFileSync(0, 'utf8'));
    const print = () => {
      const { code, secondsLeft } = codeAt(account, Date.now() + Number(options.off) * 1000);
      process.stdout.write(options.watch ? `\r${code}  ${String(secondsLeft).padStart(2)} s ` : `${code}\n`);
    };
    print();
    if (options.watch) setInterval(print, 1000);
  });

phone
  .command('serve')
  .description('show the phone as a page')
  .option('--port <n>', 'on loopback', '8471')
  .action(async (options: { port: string }) => {
    const app = createPhone(Date.now);
    await app.listen({ host: '127.0.0.1', port: Number(options.port) });
    process.stderr.write(`The stand-in phone is at http://localhost:${(app.server.address() as AddressInfo).port}\n`);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void app.close());
  });

const fob = program.command('fob').description('hardware tokens that show one-time codes');
const fobsOption = new Option('--fobs <file>', 'where the tokens are kept').default('nlatch-fobs.json');

fob
  .command('press <serial>')
  .description('press the button of a token and print the code that it shows')
  .addOption(fobsOption)
  .action((serial: string, options: { fobs: string }) => {
    process.stdout.write(`${new FobDrawer(options.fobs).press(serial, Date.now()).code ?? ''}\n`);
  });

fob
  .command('serve')
  .description('show the tokens as a page')
  .addOption(fobsOption)
  .option('--port <n>', 'on loopback', '8478')
  .action(async (options: { fobs: string; port: string }) => {
    const app = createFobs(new FobDrawer(options.fobs), Date.now);
    await app.listen({ host: '127.0.0.1', port: Number(options.port) });
    process.stderr.write(`The stand-in fobs are at http://localhost:${(app.server.address() as AddressInfo).port}\n`);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void app.close());
  });

const pocket = program.command('pocket').description('phones that approve sign-ins (docs/push-protocol.md)');
const keysOption = new Option('--keys <file>', 'where the phones are kept').default('nlatch-phones.json');

pocket
  .command('serve')
  .description('show the phones as a page, and let them ask what waits')
  .option('--port <n>', 'on loopback', '8477')
  .addOption(keysOption)
  .action(async (options: { port: string; keys: string }) => {
    const app = await createPocket(options.keys, Date.now);
    await app.listen({ host: '127.0.0.1', port: Number(options.port) });
    process.stderr.write(`The phones are at http://localhost:${(app.server.address() as AddressInfo).port}\n`);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void app.close());
  });

pocket
  .command('follow')
  .argument('<link>', 'as it is shown where a phone is set up')
  .description('set a phone up, and answer its first request')
  .addOption(keysOption)
  .addOption(new Option('--habit <habit>', 'what it does by itself').choices(HABITS).default('by-hand'))
  .action(async (link: string, options: { keys: string; habit: Habit }) => {
    const drawer = new Drawer(options.keys);
    await drawer.open();
    const { phone, person } = await drawer.follow(link, options.habit);
    process.stdout.write(`${phone.device}  ${person}\n`);
  });

pocket
  .command('list')
  .description('what waits for the phones')
  .addOption(keysOption)
  .action(async (options: { keys: string }) => {
    const drawer = new Drawer(options.keys);
    await drawer.open();
    for (const { phone, person, habit } of drawer.entries) {
      const asked = habit === 'away' ? undefined : await phone.fetch().catch((error: unknown) => String(error));
      const waits = typeof asked === 'object' ? asked.requests.map(saidOf) : [asked ?? 'is switched off'];
      for (const line of waits.length > 0 ? waits : ['nothing waits'])
        process.stdout.write(`${phone.device}  ${person}  ${line}\n`);
    }
  });

pocket
  .command('answer')
  .argument('<phone>', 'its id, or the name of its person')
  .addArgument(new Argument('<decision>').choices(['approve', 'deny', 'not-me']))
  .description('answer the latest request of a phone')
  .option('--number <nn>', 'the number that is shown where somebody signs in')
  .addOption(keysOption)
  .action(async (of: string, decision: 'approve' | 'deny' | 'not-me', options: { keys: string; number?: string }) => {
    const drawer = new Drawer(options.keys);
    await drawer.open();
    const entry = drawer.entries.find(({ phone, person }) => phone.device === of || person === of);
    if (!entry) throw new Error(`there is no phone of ${of} in ${options.keys}`);
    const [request] = (await entry.phone.fetch()).requests;
    if (!request) throw new Error('nothing waits for this phone');
    const outcome = await entry.phone.answer(request, decision, options.number);
    process.stdout.write(`${outcome}\n`);
    if (outcome !== 'taken') process.exitCode = 1;
  });

program
  .command('mailbox')
  .description('a mail server that keeps what it gets and shows it as a page; nothing is sent on')
  .option('--smtp-port <n>', 'where it takes mail, on loopback', '8474')
  .option('--port <n>', 'of the page, on loopback', '8475')
  .option('--refuse <address...>', 'addresses that there are none of')
  .option('--scan', 'open every link as it comes, as mail scanners do')
  .action(async (options: { smtpPort: string; port: string; refuse?: string[]; scan?: boolean }) => {
    const { smtp, app } = createMailbox({
      now: () => new Date(),
      refuse: options.refuse ?? [],
      scan: options.scan ?? false,
    });
    await new Promise<void>((resolve, reject) => {
      smtp.once('error', reject);
      smtp.listen(Number(options.smtpPort), '127.0.0.1', () => resolve());
    });
    // Whoever breaks a connection off does not end it for all others.
    smtp.removeAllListeners('error').on('error', () => undefined);
    await app.listen({ host: '127.0.0.1', port: Number(options.port) });
    process.stderr.write(
      `The mailbox takes mail at port ${options.smtpPort} and shows it at http://localhost:${(app.server.address() as AddressInfo).port}\n`,
    );
    for (const signal of ['SIGINT', 'SIGTERM'] as const)
      process.once(signal, () => {
        void app.close();
        smtp.close();
      });
  });

program
  .command('push-service')
  .description('a push service (RFC 8030) that wakes stand-in phones')
  .option('--port <n>', 'on loopback', '8476')
  .option('--slow <ms>', 'answer late')
  .option('--lost', 'take messages and deliver none')
  .option('--refuse <status>', 'take none: 404 and 410 say that a subscription has ended')
  .option('--throttle <seconds>', 'take none for so long, and say so')
  .action(async (options: { port: string; slow?: string; lost?: boolean; refuse?: string; throttle?: string }) => {
    const service = createPushService(() => new Date());
    const number = (text: string | undefined) => (text === undefined ? null : Number(text));
    Object.assign(service.switches, {
      slowMs: number(options.slow) ?? 0,
      lost: options.lost ?? false,
      refuse: number(options.refuse),
      throttleSeconds: number(options.throttle),
    });
    await service.listen({ host: '127.0.0.1', port: Number(options.port) });
    process.stderr.write(
      `The push service is at http://localhost:${(service.server.address() as AddressInfo).port}; PUT /switches changes what goes wrong\n`,
    );
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void service.close());
  });

program
  .command('berth-planner')
  .description('an application that is connected by OpenID Connect')
  .requiredOption('--clients <file>', 'JSON: issuer, address, whole and secondStep, each with id and secret')
  .action(async (options: { clients: string }) => {
    const clients = JSON.parse(readFileSync(options.clients, 'utf8')) as PlannerClients;
    const app = createPlanner(clients);
    await app.listen({ host: '127.0.0.1', port: Number(new URL(clients.address).port) });
    process.stderr.write(`The Berth Planner is at ${clients.address}\n`);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void app.close());
  });

program
  .command('vessel-traffic')
  .description('an application that asks for passwords, codes and keys on its own pages')
  .requiredOption('--connection <file>', 'JSON: service, address and key')
  .action(async (options: { connection: string }) => {
    const connection = JSON.parse(readFileSync(options.connection, 'utf8')) as TrafficConnection;
    const app = createTraffic(connection);
    await app.listen({ host: '127.0.0.1', port: Number(new URL(connection.address).port) });
    process.stderr.write(`Vessel Traffic is at ${connection.address}\n`);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void app.close());
  });

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2;
  else {
    const taken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE';
    process.stderr.write(
      error instanceof PhoneRefused
        ? `error: the service does not hear this phone: ${error.code}\n`
        : error instanceof BadPicture
          ? `error: this picture cannot be used: ${error.message}\ntry:   paste the whole text, beginning with otpauth://totp/\n`
          : taken
            ? 'error: that port is taken\ntry:   --port with another number\n'
            : `error: ${error instanceof Error ? error.message : 'unknown'}\n`,
    );
    process.exitCode = 1;
  }
}

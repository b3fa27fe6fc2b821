import Fastify, { type FastifyInstance } from 'fastify';
import { SMTPServer } from 'smtp-server';
import { Letters, linksIn } from './letters.js';
import { PAGE, SCRIPT, STYLE } from './page.js';

export interface MailboxOptions {
  readonly now: () => Date;
  /** Addresses that there are none of: they are refused as a mail server does that knows its people. */
  readonly refuse?: readonly string[];
  /** Opens every link of a letter as it comes, as scanners do that look for what is dangerous. On loopback alone. */
  readonly scan?: boolean;
}

export interface Mailbox {
  readonly letters: Letters;
  readonly smtp: SMTPServer;
  /** The page that shows them. */
  readonly app: FastifyInstance;
  /** Links that the scanner has opened. */
  readonly scanned: readonly string[];
}

const LARGEST = 256 * 1024;

/** A mail server that keeps what it gets, and shows it: everything in memory, nothing is sent on. */
export function createMailbox({ now, refuse = [], scan = false }: MailboxOptions): Mailbox {
  const letters = new Letters();
  const scanned: string[] = [];
  const unknown = new Set(refuse.map((address) => address.toLowerCase()));
  const smtp = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    size: LARGEST,
    onRcptTo: ({ address }, _, done) => {
      done(
        unknown.has(address.toLowerCase())
          ? Object.assign(new Error('5.1.1 no such mailbox here'), { responseCode: 550 })
          : undefined,
      );
    },
    onData: (stream, { envelope }, done) => {
      const parts: Buffer[] = [];
      stream.on('data', (part: Buffer) => void parts.push(part));
      stream.once('error', done);
      stream.once('end', () => {
        if (stream.sizeExceeded) {
          done(Object.assign(new Error('5.3.4 too large'), { responseCode: 552 }));
          return;
        }
        letters
          .add(
            Buffer.concat(parts),
            envelope.rcptTo.map(({ address }) => address),
            now(),
          )
          .then(
            ({ text }) => {
              done();
              if (scan) for (const link of linksIn(text)) void open(link, scanned);
            },
            (error: unknown) => done(error as Error),
          );
      });
    },
  });
  const app = Fastify({ bodyLimit: 16_384 });
  app.addHook('onSend', async (_, reply) => {
    reply.headers({
      'content-security-policy':
        "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; base-uri 'none'; frame-ancestors 'none'",
      'referrer-policy': 'no-referrer',
      'cache-control': 'no-store',
    });
  });
  app.get('/', async (_, reply) => reply.type('text/html; charset=utf-8').send(PAGE));
  app.get('/mailbox.css', async (_, reply) => reply.type('text/css').send(STYLE));
  app.get('/mailbox.js', async (_, reply) => reply.type('text/javascript').send(SCRIPT));
  app.get<{ Querystring: { to?: unknown } }>('/letters', async ({ query }) =>
    letters.list(typeof query.to === 'string' && query.to !== '' ? query.to : undefined),
  );
  return { letters, smtp, app, scanned };
}

/** What follows the number sign stays with the browser, and so with the scanner. */
async function open(link: string, scanned: string[]): Promise<void> {
  const url = new URL(link);
  if (!['localhost', '127.0.0.1', '[::1]'].includes(url.hostname)) return;
  url.hash = '';
  await fetch(url, { signal: AbortSignal.timeout(5_000) }).then(
    async (answer) => {
      await answer.arrayBuffer();
      scanned.push(link);
    },
    () => undefined,
  );
}

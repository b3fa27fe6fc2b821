import { createMailbox, type Mailbox, type MailboxOptions } from '../../packages/standins/src/mailbox/server.js';
import { expect } from 'vitest';
import { freePort } from '../../scripts/lib/private-mariadb.mjs';

/** The mailbox stand-in on loopback, and what a service is told to reach it. */
export interface Post extends Mailbox {
  readonly environment: Record<string, string>;
  /** The text of the latest letter to an address whose subject or text has this in it, once it has come. */
  letter(to: string, having?: RegExp): Promise<string>;
  stop(): Promise<void>;
}

export async function startPost(options: Omit<MailboxOptions, 'now'> = {}): Promise<Post> {
  const mailbox = createMailbox({ ...options, now: () => new Date() });
  const port = await freePort();
  await new Promise<void>((resolve) => mailbox.smtp.listen(port, '127.0.0.1', () => resolve()));
  return {
    ...mailbox,
    environment: { NLATCH_SMTP_URL: `smtp://127.0.0.1:${port}`, NLATCH_MAIL_FROM: 'latch@wexmoor.example' },
    async letter(to, having = /./) {
      const find = () => mailbox.letters.list(to).find(({ subject, text }) => having.test(`${subject}\n${text}`));
      await expect.poll(() => find() !== undefined, { interval: 50 }).toBe(true);
      return find()!.text;
    },
    async stop() {
      await new Promise<void>((resolve) => mailbox.smtp.close(() => resolve()));
    },
  };
}

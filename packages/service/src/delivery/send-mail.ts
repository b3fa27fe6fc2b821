import { createTransport, type Transporter } from 'nodemailer';
import type SMTPPool from 'nodemailer/lib/smtp-pool/index.js';
import type { Config } from '../config.js';
import type { Mail } from './outbox.js';

/** How long a mail server may take to be there, and to say the next thing. */
const CONNECT_MS = 10_000;
const SILENT_MS = 60_000;

/** Sends one mail; throws when the mail server does not take it. */
export type SendMail = (mail: Mail) => Promise<void>;

export function createMailSender(config: Config): SendMail | undefined {
  const { smtp } = config;
  if (!smtp) return undefined;
  // Kept connections, a few at a time, each step of a conversation with an end.
  const transport: Transporter = createTransport(
    {
      url: smtp.url,
      pool: true,
      maxConnections: 4,
      connectionTimeout: CONNECT_MS,
      greetingTimeout: CONNECT_MS,
      dnsTimeout: CONNECT_MS,
      socketTimeout: SILENT_MS,
    } as SMTPPool.Options & { readonly url: string },
    { from: smtp.from },
  );
  return async ({ to, subject, text }) => {
    // An address object, not a header line: a comma or a line break in it cannot add receivers.
    await transport.sendMail({
      to: { name: '', address: to },
      subject,
      text,
      headers: { 'Auto-Submitted': 'auto-generated' },
    });
  };
}

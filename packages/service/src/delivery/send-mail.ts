import { createTransport, type Transporter } from 'nodemailer';
import type { Config } from '../config.js';
import type { Mail } from './outbox.js';

/** Sends one mail; throws when the mail server does not take it. */
export type SendMail = (mail: Mail) => Promise<void>;

export function createMailSender(config: Config): SendMail | undefined {
  const { smtp } = config;
  if (!smtp) return undefined;
  const transport: Transporter = createTransport(smtp.url, { from: smtp.from });
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

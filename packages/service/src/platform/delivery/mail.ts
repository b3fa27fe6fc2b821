import { MOST_ATTEMPTS, retryDelayMs } from '@nimble-latch/core/jobs';
import { createTransport, type Transporter } from 'nodemailer';
import type SMTPPool from 'nodemailer/lib/smtp-pool/index.js';
import type { Channel, Send } from './channel.js';

export interface Mail {
  readonly kind: 'mail';
  readonly to: string;
  readonly subject: string;
  readonly text: string;
}

/** How long a mail server may take to be there, and to say the next thing. */
const CONNECT_MS = 10_000;
const SILENT_MS = 60_000;
const LANES = 4;

export const mail: Channel<Mail> = {
  kind: 'mail',
  lanes: LANES,
  leaseSeconds: 30,
  // Beyond what the steps of a conversation may take: who gives up first should be who knows what it was waiting for.
  mostMs: 5 * 60_000,
  // What tells of a change is of use for some days; nobody is helped by hearing of it weeks later.
  usefulMs: 7 * 86_400_000,
  retry: { delayMs: retryDelayMs, most: MOST_ATTEMPTS },
  // 5yz, RFC 5321 §4.2.1, said of the receiver: what is said of us (a password, a certificate) somebody may mend.
  refusedForGood: (error) => {
    const { code, responseCode = 0 } = error as { readonly code?: string; readonly responseCode?: number };
    return code === 'EENVELOPE' && responseCode >= 500 && responseCode < 600;
  },
  open({ config: { smtp } }) {
    if (!smtp) return undefined;
    // Kept connections, a few at a time, each step of a conversation with an end.
    const transport: Transporter = createTransport(
      {
        url: smtp.url,
        pool: true,
        maxConnections: LANES,
        connectionTimeout: CONNECT_MS,
        greetingTimeout: CONNECT_MS,
        dnsTimeout: CONNECT_MS,
        socketTimeout: SILENT_MS,
      } as SMTPPool.Options & { readonly url: string },
      { from: smtp.from },
    );
    const domain = domainOf(smtp.from);
    const send: Send<Mail> = async ({ to, subject, text }, { id }) => {
      // An address object, not a header line: a comma or a line break in it cannot add receivers.
      await transport.sendMail({
        to: { name: '', address: to },
        subject,
        text,
        // The same where it is sent a second time (RFC 5322 §3.6.4): the reader's program shows it once.
        messageId: `<${id}@${domain}>`,
        headers: { 'Auto-Submitted': 'auto-generated' },
      });
    };
    return { send, close: () => transport.close() };
  },
};

/** The domain of an address, with or without a name before it. */
const domainOf = (address: string): string => /@([^@<>\s]+)>?\s*$/.exec(address)?.[1] ?? 'localhost';

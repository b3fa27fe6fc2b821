import { createHmac } from 'node:crypto';
import type { Client } from '@nimble-latch/api/client';

/** RFC 4226 §5.3, computed here once more from the text of the standard. */
export function hotp(secret: Buffer, counter: number, digits = 6): string {
  const message = Buffer.alloc(8);
  message.writeBigUInt64BE(BigInt(counter));
  const mac = createHmac('sha1', secret).update(message).digest();
  const offset = mac[19]! & 15;
  return String((mac.readUInt32BE(offset) & 0x7fffffff) % 10 ** digits).padStart(digits, '0');
}

/** A hardware token that is pressed, one code after the other. */
export class Fob {
  readonly serial: string;
  readonly #secret: Buffer;
  #counter = 0;

  constructor(serial: string) {
    this.serial = serial;
    this.#secret = Buffer.from(`secret of ${serial}`.padEnd(20, '.'));
  }

  get hex(): string {
    return this.#secret.toString('hex');
  }

  press(times = 1): string {
    this.#counter += times;
    return hotp(this.#secret, this.#counter - 1);
  }

  /** Enters it into the stock by hand, and assigns it. */
  async into(owner: Client, person: string): Promise<string> {
    const { id } = await owner.call('stock.add', {
      body: { serial: this.serial, method: 'hotp', secret: this.hex, encoding: 'hex' },
    });
    await owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    return id;
  }
}

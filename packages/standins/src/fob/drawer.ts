/**
 * Hardware tokens as they lie in a drawer: codes computed from RFC 4226 §5.3 and RFC 6238 §4 alone. It shares no code with the
 * service on purpose: a mistake must not stand on both sides.
 */
import { createHmac } from 'node:crypto';
import { readFileSync, renameSync, writeFileSync } from 'node:fs';

/** A token as its file has it. */
export interface Fob {
  readonly serial: string;
  readonly maker: string;
  readonly kind: 'hotp' | 'totp';
  /** Hexadecimal. */
  readonly secret: string;
  readonly digits: number;
  /** Of a time step; of tokens with a clock. */
  readonly seconds: number;
  /** The next one; of tokens that count. */
  counter: number;
}

/** There is no such token; says what would do. */
export class NoSuchFob extends Error {}

const plain = (text: string): string => text.toUpperCase().replace(/[^A-Z0-9]/g, '');

function codeOf({ secret, digits }: Fob, counter: number): string {
  const message = Buffer.alloc(8);
  message.writeBigUInt64BE(BigInt(counter));
  const mac = createHmac('sha1', Buffer.from(secret, 'hex')).update(message).digest();
  const start = mac[19]! % 16;
  const four = (mac[start]! % 128) * 2 ** 24 + mac[start + 1]! * 2 ** 16 + mac[start + 2]! * 2 ** 8 + mac[start + 3]!;
  return String(four % 10 ** digits).padStart(digits, '0');
}

/** What a token shows when it is looked at, or pressed. */
export interface Shown {
  readonly serial: string;
  readonly maker: string;
  readonly kind: Fob['kind'];
  /** Undefined for a token that counts and has not been pressed. */
  readonly code?: string;
  readonly secondsLeft?: number;
}

/** Tokens that are kept in a file, with how often each was pressed. */
export class FobDrawer {
  readonly #file: string;
  readonly #fobs: Fob[];

  constructor(file: string) {
    this.#file = file;
    this.#fobs = JSON.parse(readFileSync(file, 'utf8')) as Fob[];
  }

  /** Tokens whose number has this in it, those with a clock with their code. */
  find(part: string, unixMs: number, most = 20): Shown[] {
    return this.#fobs
      .filter(({ serial }) => plain(serial).includes(plain(part)))
      .slice(0, most)
      .map((fob) => this.#shown(fob, unixMs));
  }

  /**
   * Presses the button of a token: one that counts goes on by one, and it is written down before the code is shown.
   * @throws NoSuchFob
   */
  press(serial: string, unixMs: number): Shown {
    const fob = this.#fobs.find((one) => plain(one.serial) === plain(serial));
    if (!fob) throw new NoSuchFob(`no token in the drawer has the number ${serial}`);
    if (fob.kind === 'totp') return this.#shown(fob, unixMs);
    const code = codeOf(fob, fob.counter);
    fob.counter += 1;
    writeFileSync(`${this.#file}.new`, JSON.stringify(this.#fobs), { mode: 0o600 });
    renameSync(`${this.#file}.new`, this.#file);
    return { serial: fob.serial, maker: fob.maker, kind: fob.kind, code };
  }

  #shown(fob: Fob, unixMs: number): Shown {
    const { serial, maker, kind, seconds } = fob;
    if (kind === 'hotp') return { serial, maker, kind };
    const unix = Math.floor(unixMs / 1000);
    return {
      serial,
      maker,
      kind,
      code: codeOf(fob, Math.floor(unix / seconds)),
      secondsLeft: seconds - (unix % seconds),
    };
  }
}

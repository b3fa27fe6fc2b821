import type { OtpAlgorithm, PskcProblemId, RowReason } from '../vocabulary.js';
import { base64Of, ValueOpener, type FileKey, type OwnCertificate } from './decrypt.js';
import { SignatureWatcher } from './signature.js';
import { readAlgorithm } from './values.js';
import { ChildReader, childOf, downTo, FileProblem, textOf, type Element } from './tree.js';

/** One token of a file, as far as it could be read. */
export interface FileToken {
  readonly line: number;
  readonly serial: string | undefined;
  readonly maker: string | undefined;
  readonly model: string | undefined;
  readonly method: 'totp' | 'hotp' | undefined;
  readonly secret: Buffer | undefined;
  readonly algorithm: OtpAlgorithm | undefined;
  readonly digits: number | undefined;
  /** Seconds. */
  readonly period: number | undefined;
  /** Seconds since 1970. */
  readonly t0: number | undefined;
  /** The next counter. */
  readonly counter: number | undefined;
  /** Steps by which its clock is ahead. */
  readonly drift: number | undefined;
  /** Days, such as 2031-12-31. */
  readonly starts: string | undefined;
  readonly expires: string | undefined;
  readonly owner: string | undefined;
  /** Why it is refused, and which part of it. */
  readonly problem: TokenProblem | undefined;
  /** What it asks for and is not honoured here, by name. */
  readonly notHonoured: readonly string[];
}

export interface TokenProblem {
  readonly reason: RowReason;
  readonly name?: string | undefined;
}

const ALGORITHM = 'urn:ietf:params:xml:ns:keyprov:pskc:';
/** RFC 6030 §4.2.3; whatever else stands in a policy is not understood, and such a key must not be used (§5). */
const POLICY = new Set(['StartDate', 'ExpiryDate', 'PINPolicy', 'KeyUsage', 'NumberOfTransactions']);
const DAY = /^(\d{4}-\d{2}-\d{2})(?:T|$)/;

/**
 * Reads a Portable Symmetric Key Container, RFC 6030, as it comes. Each key package is handed over as soon as it ends; what
 * is wrong with one token is told with it, what is wrong with the file is thrown.
 */
export class PskcReader {
  readonly #reader: ChildReader;
  readonly #key: FileKey | readonly OwnCertificate[] | undefined;
  readonly #watcher: SignatureWatcher | undefined;
  #signature: Element | undefined;
  readonly #onToken: (token: FileToken) => void;
  #encryption: Element | undefined;
  #macMethod: Element | undefined;
  #opener: ValueOpener | undefined;
  #tokens = 0;

  /**
   * @param key what opens the file; with our own certificates, whichever of them it names
   * @param onToken is given tokens before it is known whether the file is signed as it should be; that shows at the end
   * @param signer the sender's certificate, PEM: the file must be signed by it
   */
  constructor(
    key: FileKey | readonly OwnCertificate[] | undefined,
    onToken: (token: FileToken) => void,
    signer?: string,
  ) {
    this.#key = key;
    this.#onToken = onToken;
    this.#watcher = signer === undefined ? undefined : new SignatureWatcher(signer);
    this.#reader = new ChildReader(
      (root) => this.#root(root),
      (child) => this.#child(child),
      this.#watcher,
    );
  }

  /** @throws FileProblem */
  write(piece: string): void {
    this.#reader.write(piece);
  }

  /** @throws FileProblem where the file was cut short, is not signed by who was named, or holds no key */
  end(): void {
    this.#reader.end();
    this.#watcher?.verify(this.#signature);
    if (this.#tokens === 0) throw new FileProblem('empty', 1);
  }

  #root({ name, attributes, line }: Element): void {
    if (name !== 'pskc:KeyContainer') throw new FileProblem('not-pskc', line);
    if (!/^1\.\d+$/.test(attributes.get('Version') ?? '')) throw new FileProblem('version', line);
  }

  #child(child: Element): void {
    const what = ((): PskcProblemId | undefined => {
      switch (child.name) {
        case 'pskc:EncryptionKey':
          this.#encryption = child;
          return this.#tokens > 0 ? 'not-pskc' : undefined;
        case 'pskc:MACMethod':
          this.#macMethod = child;
          return this.#tokens > 0 ? 'not-pskc' : undefined;
        case 'pskc:KeyPackage':
          this.#package(child);
          return undefined;
        // Keys whose signature nobody can verify are not taken.
        case 'pskc:Signature':
        case 'ds:Signature':
          this.#signature = child;
          return this.#watcher ? undefined : 'signed';
        default:
          return undefined;
      }
    })();
    if (what) throw new FileProblem(what, child.line);
  }

  #package(element: Element): void {
    this.#opener ??= new ValueOpener(this.#encryption, this.#macMethod, this.#key);
    const token = readPackage(element, this.#opener, this.#encryption !== undefined);
    // A MAC that is wrong from the first is a wrong key rather than a changed value.
    if (this.#tokens === 0 && token.problem?.reason === 'mac-wrong') throw new FileProblem('wrong-key', element.line);
    this.#tokens += 1;
    this.#onToken(token);
  }
}

/** Elements of which a key package has at most one, by what they stand in; RFC 6030 §11, the schema. */
const SINGLE: Readonly<Record<string, ReadonlySet<string>>> = Object.fromEntries(
  Object.entries({
    KeyPackage: 'DeviceInfo CryptoModuleInfo Key',
    DeviceInfo: 'Manufacturer SerialNo Model IssueNo StartDate ExpiryDate UserId',
    Key: 'Issuer AlgorithmParameters KeyProfileId KeyReference FriendlyName Data UserId Policy',
    AlgorithmParameters: 'Suite ChallengeFormat ResponseFormat',
    Data: 'Secret Counter Time TimeInterval TimeDrift',
    Secret: 'PlainValue EncryptedValue ValueMAC',
    Policy: 'StartDate ExpiryDate PINPolicy NumberOfTransactions',
  }).map(([within, names]) => [`pskc:${within}`, new Set(names.split(' ').map((name) => `pskc:${name}`))]),
);
const VALUES = new Set(['pskc:Counter', 'pskc:Time', 'pskc:TimeInterval', 'pskc:TimeDrift']);

/** The first element that stands twice where one is meant: which of the two counts, nobody can tell. */
function doubled(element: Element): string | undefined {
  const single = SINGLE[VALUES.has(element.name) ? 'pskc:Secret' : element.name];
  if (!single) return undefined;
  const seen = new Set<string>();
  for (const child of element.children) {
    if (single.has(child.name) && seen.has(child.name)) return child.name.replace('pskc:', '');
    seen.add(child.name);
    const within = doubled(child);
    if (within !== undefined) return within;
  }
  return undefined;
}

const bare = (name: string) => name.replace(/^.*:/, '');

/** Elements of `Data` that are read, or of which something is made. */
const DATA = new Set(['Secret', 'Counter', 'Time', 'TimeInterval', 'TimeDrift'].map((name) => `pskc:${name}`));
/** Where a clock begins to count, which RFC 6030 has no element for. */
export const OWN_T0 = 'nl:T0';

/**
 * What a key asks for and is not honoured. `Time` is among it where it says anything: by RFC 6030 §4.2 it is the time that the
 * device had, as a number of intervals from its starting point, when the file was written. Neither that point nor the day of
 * writing stands beside it, so no drift can be told from it; codes are computed from the time of the first proof.
 */
function notHonouredIn(key: Element | undefined, time: number | undefined): string[] {
  const [policy, data] = [childOf(key, 'pskc:Policy'), childOf(key, 'pskc:Data')];
  const extensions = childOf(key, 'pskc:Extensions');
  return [
    ...['PINPolicy', 'NumberOfTransactions'].filter((name) => downTo(policy, `pskc:${name}`)),
    ...(time === undefined || time === 0 ? [] : ['Time']),
    ...(extensions ? ['Extensions'] : []),
    ...(data?.children ?? []).filter(({ name }) => !DATA.has(name) && name !== OWN_T0).map(({ name }) => bare(name)),
  ];
}

/** Bounds of what a token can be, RFC 4226 §5.3 and RFC 6238 §5.2. */
function readPackage(element: Element, opener: ValueOpener, encrypted: boolean): FileToken {
  const device = childOf(element, 'pskc:DeviceInfo');
  const key = childOf(element, 'pskc:Key');
  const parameters = childOf(key, 'pskc:AlgorithmParameters');
  const data = childOf(key, 'pskc:Data');
  const policy = childOf(key, 'pskc:Policy');
  const problems: TokenProblem[] = [];
  const wrong = (reason: RowReason, name?: string) => void problems.push({ reason, name });
  const twice = doubled(element);
  if (twice !== undefined) wrong('doubled', twice);
  const value = (name: string): Buffer | undefined => {
    const at = childOf(data, name);
    if (!at) return undefined;
    if (childOf(at, 'pskc:EncryptedValue')) {
      const opened = encrypted ? opener.open(at) : ({ why: 'broken' } as const);
      if ('plain' in opened) return opened.plain;
      wrong(
        (
          {
            broken: 'value-broken',
            unknown: 'encryption-unknown',
            'mac-missing': 'mac-missing',
            'mac-wrong': 'mac-wrong',
          } as const
        )[opened.why],
      );
      return undefined;
    }
    const plain = textOf(childOf(at, 'pskc:PlainValue')) ?? (name === OWN_T0 ? textOf(at) : undefined);
    if (name === 'pskc:Secret') {
      const secret = base64Of(plain);
      if (!secret) wrong('value-broken');
      return secret;
    }
    return plain === undefined ? undefined : Buffer.from(plain);
  };
  const number = (name: string): number | undefined => {
    const at = childOf(data, name);
    const bytes = value(name);
    if (!at || !bytes) return undefined;
    const said = childOf(at, 'pskc:EncryptedValue')
      ? // RFC 6030 §4.2: integers are encrypted in network byte order.
        bytes.length > 0 && bytes.length <= 8
        ? Number(BigInt.asIntN(64, BigInt(`0x${bytes.toString('hex')}`)))
        : NaN
      : /^-?\d{1,19}$/.test(bytes.toString())
        ? Number(bytes)
        : NaN;
    if (Number.isSafeInteger(said)) return said;
    wrong('not-whole', bare(name));
    return undefined;
  };
  const day = (at: Element | undefined): string | undefined => {
    const text = textOf(at);
    if (text === undefined) return undefined;
    const found = DAY.exec(text)?.[1];
    if (found === undefined || Number.isNaN(Date.parse(text))) wrong('not-a-day');
    return found;
  };
  const uri = key?.attributes.get('Algorithm') ?? '';
  const method = uri === `${ALGORITHM}totp` ? 'totp' : uri === `${ALGORITHM}hotp` ? 'hotp' : undefined;
  if (!method) wrong('kind-unknown');
  const response = childOf(parameters, 'pskc:ResponseFormat');
  if (response && response.attributes.get('Encoding') !== 'DECIMAL') wrong('kind-unknown');
  // XML Schema has two spellings of true.
  if (['true', '1'].includes(response?.attributes.get('CheckDigits') ?? '')) wrong('check-digits');
  const suite = textOf(childOf(parameters, 'pskc:Suite'));
  const algorithm = suite === undefined ? undefined : readAlgorithm(suite);
  if (suite !== undefined && !algorithm) wrong('algorithm-unknown');
  const usages = policy?.children.filter(({ name }) => name === 'pskc:KeyUsage').map(textOf) ?? [];
  if (usages.length > 0 && !usages.includes('OTP')) wrong('policy-usage');
  if (policy?.children.some(({ name }) => !POLICY.has(name.replace('pskc:', '')))) wrong('policy-unknown');
  const secret = value('pskc:Secret');
  if (!secret && problems.length === 0) wrong('missing');
  const length = response?.attributes.get('Length');
  const told: Omit<FileToken, 'problem'> = {
    line: element.line,
    serial: textOf(childOf(device, 'pskc:SerialNo')) ?? key?.attributes.get('Id'),
    maker: textOf(childOf(device, 'pskc:Manufacturer')),
    model: textOf(childOf(device, 'pskc:Model')),
    method,
    secret,
    algorithm,
    digits: length === undefined ? undefined : Number(length),
    period: number('pskc:TimeInterval'),
    t0: method === 'totp' ? number(OWN_T0) : undefined,
    counter: number('pskc:Counter'),
    drift: number('pskc:TimeDrift'),
    starts: day(childOf(policy, 'pskc:StartDate') ?? childOf(device, 'pskc:StartDate')),
    expires: day(childOf(policy, 'pskc:ExpiryDate') ?? childOf(device, 'pskc:ExpiryDate')),
    owner: textOf(childOf(key, 'pskc:UserId')) ?? textOf(childOf(device, 'pskc:UserId')),
    notHonoured: notHonouredIn(key, number('pskc:Time')),
  };
  // Of several the first says enough; which there are, shows once all of it is read.
  return { ...told, problem: problems[0] };
}

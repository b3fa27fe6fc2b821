import 'reflect-metadata';
import { randomBytes, sign, webcrypto, KeyObject } from 'node:crypto';
import * as x509 from '@peculiar/x509';

/**
 * A stand-in for whoever publishes metadata of key models: a root, a signer below it, and blobs that are signed (FIDO Metadata Service
 * 3.0 §3.1). Written from the standards alone.
 */

// Here and below: the package names its types after the browser's, and node's are the same by another name.
x509.cryptoProvider.set(webcrypto as never);

const P256 = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };

/** One model, as a blob tells of it. */
export interface Entry {
  readonly aaguid?: string;
  /** Of a U2F model: SHA-1 of the keys of its certificates, in hexadecimal. */
  readonly keyIdentifiers?: readonly string[];
  readonly description: string;
  readonly icon?: string;
  /** Certificates in DER. */
  readonly roots?: readonly Uint8Array[];
  readonly reports?: readonly { readonly status: string; readonly effectiveDate?: string }[];
}

/** When its certificates are good. */
export interface Validity {
  readonly notBefore: Date;
  readonly notAfter: Date;
}

const serial = () => `1${randomBytes(8).toString('hex')}`;
const pair = async () => await webcrypto.subtle.generateKey(P256, true, ['sign', 'verify']);
const base64 = (bytes: ArrayBuffer | Uint8Array) => Buffer.from(bytes as Uint8Array).toString('base64');
const part = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');

export class MetadataPublisher {
  /** The root in PEM. */
  readonly root: string;
  readonly #chain: readonly string[];
  readonly #key: KeyObject;

  private constructor(root: x509.X509Certificate, signer: x509.X509Certificate, key: KeyObject) {
    this.root = root.toString('pem');
    this.#chain = [base64(signer.rawData)];
    this.#key = key;
  }

  static async found(name: string, validity: Validity): Promise<MetadataPublisher> {
    const [top, below] = [await pair(), await pair()];
    const root = await x509.X509CertificateGenerator.createSelfSigned({
      serialNumber: serial(),
      name: `CN=${name} Root`,
      ...validity,
      signingAlgorithm: P256,
      keys: top,
      extensions: [
        new x509.BasicConstraintsExtension(true, undefined, true),
        new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign, true),
      ],
    });
    const signer = await x509.X509CertificateGenerator.create({
      serialNumber: serial(),
      subject: `CN=${name} Signer`,
      issuer: root.subject,
      ...validity,
      signingAlgorithm: P256,
      publicKey: below.publicKey as never,
      signingKey: top.privateKey,
      extensions: [
        new x509.BasicConstraintsExtension(false, undefined, true),
        new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      ],
    });
    return new MetadataPublisher(root, signer, KeyObject.from(below.privateKey));
  }

  /** A signed blob. @param header what its head says otherwise */
  publish(number: number, nextUpdate: string, entries: readonly Entry[], header: object = {}): string {
    const head = part({ alg: 'ES256', typ: 'JWT', x5c: this.#chain, ...header });
    const body = part({
      legalHeader: 'Made up: none of these models exists.',
      no: number,
      nextUpdate,
      entries: entries.map(entryOf),
    });
    const signature = sign('sha256', Buffer.from(`${head}.${body}`), { key: this.#key, dsaEncoding: 'ieee-p1363' });
    return `${head}.${body}.${signature.toString('base64url')}`;
  }
}

function entryOf({ aaguid, keyIdentifiers, description, icon, roots = [], reports = [] }: Entry): object {
  return {
    ...(aaguid === undefined ? {} : { aaguid }),
    ...(keyIdentifiers === undefined ? {} : { attestationCertificateKeyIdentifiers: keyIdentifiers }),
    metadataStatement: {
      legalHeader: 'Made up.',
      description,
      protocolFamily: aaguid === undefined ? 'u2f' : 'fido2',
      schema: 3,
      attestationRootCertificates: roots.map(base64),
      ...(icon === undefined ? {} : { icon }),
    },
    statusReports: reports,
    timeOfLastStatusChange: reports.at(-1)?.effectiveDate ?? '2026-01-01',
  };
}

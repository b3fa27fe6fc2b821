import { execFileSync } from 'node:child_process';
import { sign } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { SignedXml } from 'xml-crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { FileProblem, PskcReader } from './index.js';

const EXCLUSIVE = 'http://www.w3.org/2001/10/xml-exc-c14n#';
const INCLUSIVE = 'http://www.w3.org/TR/2001/REC-xml-c14n-20010315';
const ENVELOPED = 'http://www.w3.org/2000/09/xmldsig#enveloped-signature';
const ECDSA256 = 'http://www.w3.org/2001/04/xmldsig-more#ecdsa-sha256';
const RSA256 = 'http://www.w3.org/2001/04/xmldsig-more#rsa-sha256';
const SHA256 = 'http://www.w3.org/2001/04/xmlenc#sha256';

/** With all that the two canonical forms tell apart: unused namespaces, a default that is undone, comments, references, CDATA. */
const FILE = `<?xml version="1.0"?>
<pskc:KeyContainer xmlns:pskc="urn:ietf:params:xml:ns:keyprov:pskc" xmlns:un="urn:unused"   Version="1.0" Id="box-7">
  <!-- from the workshop -->
  <pskc:KeyPackage b="2" a='1 "x" &#9;y'><pskc:DeviceInfo><pskc:Manufacturer>Gull &amp; Wing &lt;ü&gt;</pskc:Manufacturer><pskc:SerialNo>GW-1</pskc:SerialNo></pskc:DeviceInfo>
   <pskc:Key Id="x" Algorithm="urn:ietf:params:xml:ns:keyprov:pskc:hotp"><extra xmlns="urn:extra"><inner xmlns=""/><un:deep/></extra>
    <pskc:AlgorithmParameters><pskc:ResponseFormat Length="6" Encoding="DECIMAL"/></pskc:AlgorithmParameters>
    <pskc:Data><pskc:Secret><pskc:PlainValue><![CDATA[MTIzNDU2Nzg5MDEyMzQ1Njc4OTA=]]></pskc:PlainValue></pskc:Secret></pskc:Data></pskc:Key></pskc:KeyPackage>
</pskc:KeyContainer>`;

/** A key of each kind with its certificate, as a sender would make them. */
interface Sender {
  readonly key: string;
  readonly certificate: string;
}
let gullwing: Sender;
let other: Sender;
let short: Sender;
let curve: Sender;
let dir: string;
beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'nlatch-signers-'));
  const sender = (name: string, ...kind: string[]): Sender => {
    const [key, certificate] = [join(dir, `${name}.key`), join(dir, `${name}.pem`)];
    const args = ['req', '-x509', '-nodes', '-newkey', ...kind, '-keyout', key, '-out', certificate];
    execFileSync('openssl', [...args, '-subj', `/CN=${name}`, '-days', '30'], { stdio: 'ignore' });
    return { key: readFileSync(key, 'utf8'), certificate: readFileSync(certificate, 'utf8') };
  };
  gullwing = sender('gullwing', 'rsa:2048');
  other = sender('other', 'rsa:2048');
  short = sender('short', 'rsa:1024');
  curve = sender('curve', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256');
}, 60_000);
afterAll(() => rmSync(dir, { recursive: true }));

interface How {
  readonly form?: string;
  readonly uri?: string;
  readonly xpath?: string;
  readonly signature?: string;
  readonly digest?: string;
  readonly transforms?: readonly string[];
}

/** The package knows RSA alone; this is XML Signature 1.1 §6.4.3 in its terms. */
class Ecdsa256 {
  getSignature(text: string, key: string): string {
    return sign('sha256', Buffer.from(text), { key, dsaEncoding: 'ieee-p1363' }).toString('base64');
  }
  verifySignature(): boolean {
    throw new Error('not asked for');
  }
  getAlgorithmName(): string {
    return ECDSA256;
  }
}

/** Signed by a package that knows nothing of ours. */
function signed({ key }: Sender, { form = EXCLUSIVE, uri = '', xpath = '/*', ...how }: How = {}, text = FILE): string {
  const { signature = RSA256, digest = SHA256, transforms = [ENVELOPED, form] } = how;
  const one = new SignedXml({
    privateKey: key,
    signatureAlgorithm: signature,
    canonicalizationAlgorithm: form,
  });
  one.SignatureAlgorithms[ECDSA256] = Ecdsa256;
  one.addReference({
    xpath,
    uri,
    isEmptyUri: uri === '',
    digestAlgorithm: digest,
    transforms: transforms,
  });
  one.computeSignature(text, { location: { reference: '/*', action: 'append' }, prefix: 'ds' });
  return one.getSignedXml();
}

function read(text: string, certificate: string | undefined, piece = 64) {
  const serials: (string | undefined)[] = [];
  const reader = new PskcReader(undefined, ({ serial }) => serials.push(serial), certificate);
  try {
    for (let at = 0; at < text.length; at += piece) reader.write(text.slice(at, at + piece));
    reader.end();
    return serials;
  } catch (error) {
    if (!(error instanceof FileProblem)) throw error;
    return error.what;
  }
}

describe('a signed container, RFC 6030 §7', () => {
  it('is taken in either canonical form, by RSA or ECDSA, whatever pieces it comes in', () => {
    for (const form of [EXCLUSIVE, INCLUSIVE]) {
      const text = signed(gullwing, { form });
      for (const piece of [1, 17, text.length]) expect(read(text, gullwing.certificate, piece), form).toEqual(['GW-1']);
    }
    const byId = signed(gullwing, { uri: 'box-7', xpath: "//*[@Id='box-7']" });
    expect(read(byId, gullwing.certificate)).toEqual(['GW-1']);
    const sha512 = { signature: RSA256.replace('256', '512'), digest: 'http://www.w3.org/2001/04/xmlenc#sha512' };
    expect(read(signed(gullwing, sha512), gullwing.certificate)).toEqual(['GW-1']);
    const byCurve = signed(curve, { signature: ECDSA256 });
    expect(read(byCurve, curve.certificate)).toEqual(['GW-1']);
    expect(read(byCurve, gullwing.certificate)).toBe('signature-wrong');
  });

  it('is taken by who is said to send it alone, and only as it was signed', () => {
    const text = signed(gullwing);
    expect(read(text, undefined)).toBe('signed');
    expect(read(FILE, gullwing.certificate)).toBe('not-signed');
    for (const { certificate } of [other, curve]) expect(read(text, certificate)).toBe('signature-wrong');
    expect(read(signed(short), short.certificate)).toBe('signature-wrong');
    const changes: [string, string][] = [
      ['GW-1', 'GW-2'],
      ['MTIz', 'MTIy'],
      ['&amp;', 'and'],
      ['b="2"', 'b="3"'],
      ['</pskc:KeyContainer>', ' </pskc:KeyContainer>'],
      ['<pskc:KeyPackage ', '<pskc:KeyPackage><pskc:Key/></pskc:KeyPackage><pskc:KeyPackage '],
    ];
    for (const [from, to] of changes) {
      expect(text).toContain(from);
      expect(read(text.replace(from, to), gullwing.certificate), from).toBe('signature-wrong');
    }
    // What no canonical form keeps may differ.
    expect(read(text.replace(' from the workshop ', ''), gullwing.certificate)).toEqual(['GW-1']);
  });

  it('changed anywhere is refused, or says what it said', () => {
    const text = signed(gullwing);
    fc.assert(
      fc.property(fc.nat(text.length - 1), fc.constantFrom('x', '1', ' ', '<', '"', '&', '\n'), (at, character) => {
        const found = read(text.slice(0, at) + character + text.slice(at + 1), gullwing.certificate, text.length);
        // Space inside a tag and in a comment is in no canonical form; everything else is refused.
        if (Array.isArray(found)) expect(found).toEqual(['GW-1']);
      }),
      { numRuns: 400 },
    );
  });

  it('in parts, weakly, twice or in another form is refused, each with its reason', () => {
    const part = signed(gullwing, { uri: 'x', xpath: "//*[@Id='x']", transforms: [EXCLUSIVE] });
    expect(read(part, gullwing.certificate)).toBe('signature-partial');
    const sha1 = 'http://www.w3.org/2000/09/xmldsig#sha1';
    expect(read(signed(gullwing, { digest: sha1 }), gullwing.certificate)).toBe('signature-weak');
    const rsa1 = 'http://www.w3.org/2000/09/xmldsig#rsa-sha1';
    expect(read(signed(gullwing, { signature: rsa1 }), gullwing.certificate)).toBe('signature-weak');
    expect(read(signed(gullwing, { transforms: [EXCLUSIVE] }), gullwing.certificate)).toBe('signature-form');
    const text = signed(gullwing);
    const signature = text.slice(text.indexOf('<ds:Signature '), text.indexOf('</pskc:KeyContainer>'));
    expect(read(text.replace(signature, signature + signature), gullwing.certificate)).toBe('signature-form');
    expect(read(text.replace('<pskc:KeyPackage ', '<?run it?><pskc:KeyPackage '), gullwing.certificate)).toBe(
      'signature-form',
    );
    expect(read(text.replace(/<ds:SignatureValue>[^<]*/, '<ds:SignatureValue>'), gullwing.certificate)).toBe(
      'signature-wrong',
    );
  });
});

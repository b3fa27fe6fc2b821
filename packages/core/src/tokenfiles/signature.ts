import { constantTimeEqual, hashing, verifySigned, type SignatureScheme } from '../crypto/index.js';
import type { SaxesTagNS } from 'saxes';
import { Canonicaliser, hasXmlAttributes, scopeWithin } from './canonical.js';
import { base64Of } from './decrypt.js';
import { childOf, FileProblem, textOf, type Element, type Watcher } from './tree.js';

const C14N = 'http://www.w3.org/TR/2001/REC-xml-c14n-20010315';
const C14N_11 = 'http://www.w3.org/2006/12/xml-c14n11';
const EXCLUSIVE = 'http://www.w3.org/2001/10/xml-exc-c14n#';
const ENVELOPED = 'http://www.w3.org/2000/09/xmldsig#enveloped-signature';

/** Whether a canonical form is the exclusive one; undefined for forms that are not taken. */
const FORMS: ReadonlyMap<string, boolean> = new Map([
  [C14N, false],
  [C14N_11, false],
  [EXCLUSIVE, true],
]);

/** Digests of XML Signature 1.1 §6.2 and RFC 6931 §2.1 that still resist collisions. */
const DIGESTS: ReadonlyMap<string, Digest> = new Map([
  ['http://www.w3.org/2001/04/xmlenc#sha256', 'sha256'],
  ['http://www.w3.org/2001/04/xmldsig-more#sha384', 'sha384'],
  ['http://www.w3.org/2001/04/xmlenc#sha512', 'sha512'],
]);
const DIGEST_NAMES = ['sha256', 'sha384', 'sha512'] as const;
type Digest = (typeof DIGEST_NAMES)[number];

/** Signatures of XML Signature 1.1 §6.4 and RFC 6931 §2.3. */
const MORE = 'http://www.w3.org/2001/04/xmldsig-more#';
const SCHEMES: ReadonlyMap<string, SignatureScheme> = new Map(
  (['rsa', 'ecdsa'] as const).flatMap((kind) =>
    DIGEST_NAMES.map((hash): [string, SignatureScheme] => [`${MORE}${kind}-${hash}`, { kind, hash }]),
  ),
);
/** What was taken once: made with SHA-1 or MD5, so that two files may have one signature. */
const WEAK = /#(?:rsa|dsa|ecdsa|hmac)?-?(?:sha1|md5)$/;

/** Pieces of text, handed on in larger ones: hashing thousands of small ones costs more than the hash. */
class Gathered {
  #text = '';
  readonly #to: (text: string) => void;

  constructor(to: (text: string) => void) {
    this.#to = to;
  }

  add(piece: string): void {
    this.#text += piece;
    if (this.#text.length > 16_384) this.flush();
  }

  flush(): void {
    this.#to(this.#text);
    this.#text = '';
  }
}

/** Whether an element is the signature of a container: RFC 6030 §7 gives it a name of its own, tools write the other. */
const isSignature = ({ local, uri }: SaxesTagNS) =>
  local === 'Signature' &&
  (uri === 'urn:ietf:params:xml:ns:keyprov:pskc' || uri === 'http://www.w3.org/2000/09/xmldsig#');

/**
 * Verifies that a container is signed as a whole by who is said to send it (RFC 6030 §7, XML Signature 1.1 §3.2), while it is
 * read: the digest is made of the very events that tokens are read from, so that nothing is used which was not signed. The
 * reader hands tokens over before the end, and whoever takes them keeps them apart until `verify` has returned.
 *
 * The certificate inside a file proves nothing; the one that was given does, whatever its dates say of today.
 */
export class SignatureWatcher implements Watcher {
  readonly #certificate: string;
  readonly #digests: readonly { readonly exclusive: boolean; readonly name: Digest; readonly digest: () => Buffer }[];
  readonly #whole: readonly Canonicaliser[];
  readonly #gathered: Gathered[] = [];
  #signed: { readonly exclusive: boolean; readonly canonicaliser: Canonicaliser; text: string }[] = [];
  #path: SaxesTagNS[] = [];
  #scopes: ReadonlyMap<string, string>[] = [];
  #signatures = 0;
  #rootId: string | undefined;
  #odd = false;

  /** @param certificate of the sender, PEM */
  constructor(certificate: string) {
    this.#certificate = certificate;
    const forms = [false, true].map((exclusive) => ({
      exclusive,
      hashes: DIGEST_NAMES.map((name) => ({ name, hash: hashing(name) })),
    }));
    // Which of them counts stands at the end of the file.
    this.#whole = forms.map(({ exclusive, hashes }) => {
      const gathered = new Gathered((text) => hashes.forEach(({ hash }) => hash.update(text)));
      this.#gathered.push(gathered);
      return new Canonicaliser(exclusive, (piece) => gathered.add(piece));
    });
    this.#digests = forms.flatMap(({ exclusive, hashes }) =>
      hashes.map(({ name, hash }) => ({ exclusive, name, digest: () => hash.digest() })),
    );
  }

  /** Whether this is inside the signature, which is not part of what it signs. */
  get #inSignature(): boolean {
    return this.#path.length > 1 && isSignature(this.#path[1]!);
  }

  opened(tag: SaxesTagNS): void {
    this.#scopes.push(scopeWithin(this.#scopes[this.#scopes.length - 1] ?? new Map(), tag));
    this.#path.push(tag);
    if (this.#path.length === 1) this.#rootId = Object.values(tag.attributes).find(({ name }) => name === 'Id')?.value;
    if (!this.#inSignature) {
      for (const one of this.#whole) one.open(tag);
      return;
    }
    if (this.#path.length === 2 && ++this.#signatures > 1) this.#odd = true;
    if (this.#path.length === 3 && tag.local === 'SignedInfo') {
      if (this.#signed.length > 0 || this.#path.slice(0, 2).some(hasXmlAttributes)) this.#odd = true;
      this.#signed = [false, true].map((exclusive) => {
        const one = {
          exclusive,
          text: '',
          canonicaliser: new Canonicaliser(exclusive, (piece) => void (one.text += piece), this.#scopes[1]),
        };
        return one;
      });
    }
    if (this.#inSignedInfo) for (const { canonicaliser } of this.#signed) canonicaliser.open(tag);
  }

  get #inSignedInfo(): boolean {
    return this.#inSignature && this.#path[2]?.local === 'SignedInfo';
  }

  said(text: string): void {
    if (this.#path.length === 0) return;
    if (!this.#inSignature) for (const one of this.#whole) one.text(text);
    else if (this.#inSignedInfo) for (const { canonicaliser } of this.#signed) canonicaliser.text(text);
  }

  /** Instructions to programs would be signed too; none has business in a file of keys. */
  instructed(): void {
    this.#odd = true;
  }

  closed(): void {
    if (!this.#inSignature) for (const one of this.#whole) one.close();
    else if (this.#inSignedInfo) for (const { canonicaliser } of this.#signed) canonicaliser.close();
    this.#path.pop();
    this.#scopes.pop();
  }

  /**
   * Holds the signature against what was read; once the file has ended.
   *
   * @param signature the element, with what it says of itself
   * @throws FileProblem where the file is not signed by the sender as it stands
   */
  verify(signature: Element | undefined): void {
    if (!signature) throw new FileProblem('not-signed', 1);
    const { line } = signature;
    const info = childOf(signature, 'ds:SignedInfo');
    const references = info?.children.filter(({ name }) => name === 'ds:Reference') ?? [];
    const algorithmOf = (element: Element | undefined, name: string) =>
      childOf(element, name)?.attributes.get('Algorithm') ?? '';
    const [reference] = references;
    const uri = reference?.attributes.get('URI');
    const transforms = childOf(reference, 'ds:Transforms')?.children ?? [];
    const [enveloped, form, ...rest] = transforms.map(({ attributes }) => attributes.get('Algorithm') ?? '');
    const method = algorithmOf(info, 'ds:SignatureMethod');
    const digestMethod = algorithmOf(reference, 'ds:DigestMethod');
    if (WEAK.test(method) || WEAK.test(digestMethod)) throw new FileProblem('signature-weak', line);
    if (references.length !== 1 || (uri !== '' && (this.#rootId === undefined || uri !== `#${this.#rootId}`)))
      throw new FileProblem('signature-partial', line);
    const exclusive = form === undefined ? false : FORMS.get(form);
    const infoExclusive = FORMS.get(algorithmOf(info, 'ds:CanonicalizationMethod'));
    const digest = DIGESTS.get(digestMethod);
    const scheme = SCHEMES.get(method);
    const inside = [...transforms, childOf(info, 'ds:CanonicalizationMethod')!, childOf(info, 'ds:SignatureMethod')!];
    if (
      this.#odd ||
      enveloped !== ENVELOPED ||
      rest.length > 0 ||
      exclusive === undefined ||
      infoExclusive === undefined ||
      !digest ||
      !scheme ||
      // A list of inclusive prefixes, or another parameter, would change the form.
      inside.some(({ children }) => children.length > 0)
    )
      throw new FileProblem('signature-form', line);
    for (const one of this.#gathered) one.flush();
    const made = this.#digests.find((one) => one.exclusive === exclusive && one.name === digest)!.digest();
    const said = base64Of(textOf(childOf(reference, 'ds:DigestValue')));
    const value = base64Of(textOf(childOf(signature, 'ds:SignatureValue')));
    const { text } = this.#signed.find((one) => one.exclusive === infoExclusive)!;
    if (!said || !value || !constantTimeEqual(made, said)) throw new FileProblem('signature-wrong', line);
    if (!verifySigned(this.#certificate, scheme, Buffer.from(text), value))
      throw new FileProblem('signature-wrong', line);
  }
}

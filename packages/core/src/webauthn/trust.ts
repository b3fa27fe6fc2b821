import { readAttestationCertificate, type Attestation, type AttestationCertificate } from './attestation/index.js';

/** Why an attestation is not trusted. */
export type Distrust =
  'not-certified' | 'not-a-certificate' | 'out-of-date' | 'not-an-authority' | 'no-root' | 'not-understood';

export type Trust =
  | { readonly trusted: true; /** The root that it leads to, DER. */ readonly root: Uint8Array }
  | { readonly trusted: false; readonly why: Distrust };

/**
 * Assesses an attestation's certificates, WebAuthn Level 3 §7.1 steps 23 and 24: a path from the one that signed to one of the roots,
 * each issued by the next (RFC 5280 §6.1: signature, names, validity, authority, path length, no critical extension that is not
 * understood). A certificate that is itself among the roots is trusted as it is; makers publish those too.
 *
 * @param roots in DER
 * @param at milliseconds since 1970
 */
export function assessTrust({ kind, chain }: Attestation, roots: readonly Uint8Array[], at: number): Trust {
  const distrust = (why: Distrust): Trust => ({ trusted: false, why });
  if (kind !== 'certified') return distrust('not-certified');
  const certificates: AttestationCertificate[] = [];
  for (const der of chain) {
    const certificate = readAttestationCertificate(der);
    if (!certificate) return distrust('not-a-certificate');
    certificates.push(certificate);
  }
  for (const [i, certificate] of certificates.entries()) {
    if (at < certificate.notBefore || at > certificate.notAfter) return distrust('out-of-date');
    if (!certificate.isUnderstood) return distrust('not-understood');
    if (i > 0 && !mayIssue(certificate, i - 1)) return distrust('not-an-authority');
    const known = roots.find((root) => Buffer.compare(root, certificate.der) === 0);
    if (known) return { trusted: true, root: known };
    const above = roots.flatMap((root) => readAttestationCertificate(root) ?? []);
    const root = above.find(
      (one) => at >= one.notBefore && at <= one.notAfter && mayIssue(one, i) && one.opened.issued(certificate.opened),
    );
    if (root) return { trusted: true, root: root.der };
    const next = certificates[i + 1];
    if (!next?.opened.issued(certificate.opened)) return distrust('no-root');
  }
  return distrust('no-root');
}

/** Whether it is an authority for a path with so many authorities below it. */
const mayIssue = ({ isAuthority, signsCertificates, pathLength }: AttestationCertificate, below: number): boolean =>
  isAuthority && signsCertificates && (pathLength === undefined || pathLength >= below);

import { writeFileSync } from 'node:fs';
import { MetadataPublisher, type Entry } from './publisher.js';

/** Writes the blob and the root that ship: of makers and models that do not exist, one of them reported as not to be relied on. */

/** A picture of a key: its body in a colour, with the hole for a ring. */
function picture(colour: string, shape: 'key' | 'phone' | 'laptop'): string {
  const body = {
    key: `<rect x="6" y="22" width="52" height="20" rx="10" fill="${colour}"/><circle cx="16" cy="32" r="4" fill="#fff"/><rect x="44" y="27" width="14" height="10" fill="#c9a24b"/>`,
    phone: `<rect x="20" y="6" width="24" height="52" rx="5" fill="${colour}"/><rect x="24" y="12" width="16" height="36" fill="#fff"/>`,
    laptop: `<rect x="12" y="14" width="40" height="28" rx="3" fill="${colour}"/><rect x="16" y="18" width="32" height="20" fill="#fff"/><rect x="6" y="44" width="52" height="6" rx="3" fill="${colour}"/>`,
  }[shape];
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64">${body}</svg>`;
  return `data:image/svg+xml;base64,${Buffer.from(svg).toString('base64')}`;
}

const ENTRIES: readonly Entry[] = [
  {
    aaguid: '6c1f0d52-a4e9-4b0a-8f5d-21c7be903a11',
    description: 'Gullwing Key 1',
    icon: picture('#7a2e2e', 'key'),
    reports: [
      { status: 'FIDO_CERTIFIED_L1', effectiveDate: '2022-03-14' },
      { status: 'USER_KEY_PHYSICAL_COMPROMISE', effectiveDate: '2026-10-12' },
    ],
  },
  {
    aaguid: '6c1f0d52-a4e9-4b0a-8f5d-21c7be903a12',
    description: 'Gullwing Key 2',
    icon: picture('#1d5b57', 'key'),
    reports: [{ status: 'FIDO_CERTIFIED_L2', effectiveDate: '2024-09-02' }],
  },
  {
    aaguid: 'b02e7a0c-91d3-4c6e-9a44-00f1d7c3285e',
    description: 'Lantern Laptop Passkeys',
    icon: picture('#22405f', 'laptop'),
    reports: [{ status: 'NOT_FIDO_CERTIFIED', effectiveDate: '2025-01-20' }],
  },
  {
    aaguid: '41d8c93e-0b7f-4d25-b1e6-7a9c5f02d8ab',
    description: 'Beacon Phone Passkeys',
    icon: picture('#22405f', 'phone'),
    reports: [{ status: 'FIDO_CERTIFIED_L1', effectiveDate: '2025-06-30' }],
  },
];

const publisher = await MetadataPublisher.found('Stand-in Metadata', {
  notBefore: new Date('2026-01-01T00:00:00Z'),
  notAfter: new Date('2046-01-01T00:00:00Z'),
});
const to = (name: string) => new URL(`../../metadata/${name}`, import.meta.url);
writeFileSync(to('root.pem'), `${publisher.root}\n`);
writeFileSync(to('blob.jwt'), `${publisher.publish(12, '2027-12-01', ENTRIES)}\n`);

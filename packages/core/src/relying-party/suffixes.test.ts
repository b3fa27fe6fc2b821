import { describe, expect, it } from 'vitest';
import { originProblem, reachProblem } from './index.js';
import { partyChoices, partyProblem, relatedLabels } from './suffixes.js';

describe('what keys are made for', () => {
  it('is a domain of one’s own, the host of the service or above it', () => {
    const cases: [string, string, ReturnType<typeof partyProblem>][] = [
      ['latch.wexmoor.example', 'latch.wexmoor.example', undefined],
      ['wexmoor.example', 'latch.wexmoor.example', undefined],
      ['localhost', 'app.localhost', undefined],
      // A host of its own, whatever stands in the list.
      ['latch', 'latch', undefined],
      ['exmoor.example', 'latch.wexmoor.example', 'other-host'],
      ['h.wexmoor.example', 'latch.wexmoor.example', 'other-host'],
      ['example', 'wexmoor.example', 'too-wide'],
      ['co.uk', 'wexmoor.co.uk', 'too-wide'],
      ['github.io', 'wexmoor.github.io', 'too-wide'],
      ['10.0.0.1', '10.0.0.1', 'address'],
      ['[::1]', '[::1]', 'address'],
      ['Wexmoor.example', 'wexmoor.example', 'not-a-domain'],
      ['wexmoor.example.', 'wexmoor.example', 'not-a-domain'],
      ['wex moor', 'wexmoor.example', 'not-a-domain'],
      ['', 'wexmoor.example', 'not-a-domain'],
    ];
    for (const [rpId, host, problem] of cases) expect(partyProblem(rpId, host), `${rpId} at ${host}`).toBe(problem);
    expect(partyChoices('latch.port.wexmoor.co.uk')).toEqual([
      'latch.port.wexmoor.co.uk',
      'port.wexmoor.co.uk',
      'wexmoor.co.uk',
    ]);
    expect(partyChoices('127.0.0.1')).toEqual([]);
    expect(reachProblem('wexmoor.example', 'latch.wexmoor.example')).toBeUndefined();
    expect(reachProblem('wexmoor.example', 'latch.port.example')).toBe('other-host');
    expect(reachProblem('192.0.2.7', '192.0.2.7')).toBe('address');
  });

  it('answers from origins as browsers write them, with TLS unless nothing leaves the machine', () => {
    const cases: [string, ReturnType<typeof originProblem>][] = [
      ['https://berths.wexmoor.example', undefined],
      ['https://berths.wexmoor.example:8443', undefined],
      ['http://localhost:8473', undefined],
      ['http://berths.localhost', undefined],
      ['http://berths.wexmoor.example', 'origin-plain'],
      ['https://berths.wexmoor.example/', 'origin-form'],
      ['https://berths.wexmoor.example:443', 'origin-form'],
      ['https://Berths.wexmoor.example', 'origin-form'],
      ['berths.wexmoor.example', 'origin-form'],
      ['null', 'origin-form'],
      ['https://192.0.2.7', 'origin-address'],
      ['https://[::1]', 'origin-address'],
      ['http://localhost.wexmoor.example', 'origin-plain'],
    ];
    for (const [origin, problem] of cases) expect(originProblem(origin), origin).toBe(problem);
    expect(
      relatedLabels([
        'https://a.wexmoor.example',
        'https://b.wexmoor.example',
        'https://wexmoor.de',
        'https://port.co.uk',
      ]),
    ).toEqual(['wexmoor', 'port']);
  });
});

import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { catalogue, sayRule } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ROOT } from '../scripts/lib/installation.mjs';
import { nlatchWithin } from './support/client.js';
import { Installation, personWithApp } from './support/installation.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.start();
});
afterAll(async () => await inst.stop());

const example = join(ROOT, 'docs/examples/rulebook.yaml');
const check = async (text: string) => await inst.owner.call('rulebook.check', { body: { text } });

describe('the text of a rulebook', () => {
  it('is read as sentences in either language, with the assurance of each way', async () => {
    const { rulebook, problems } = await check(readFileSync(example, 'utf8'));
    expect(problems).toEqual([]);
    const sentences = (language: string) => rulebook!.rules.map((rule) => sayRule(catalogue(language), rule));
    expect(sentences('en')[2]).toBe(
      'people in harbour-control · at Vessel Traffic · from tower · between 22:00 and 06:00 (Europe/London) → ask for password + totp or webauthn(verified), once a session',
    );
    expect(sentences('de')[1]).toBe(
      'Alle · bei Remote Desk VPN · von überall außer aus GB → abweisen (auf Probe bis 2027-01-31)',
    );
    for (const sentence of [...sentences('en'), ...sentences('de')]) expect(sentence).not.toMatch(/[{}]|undefined/);
    expect(rulebook!.rules[2]!.then).toMatchObject({
      ways: [
        { way: 'password + totp', level: 2, phishingResistant: false },
        { way: 'webauthn(verified)', level: 2, phishingResistant: true },
      ],
    });
  });

  it('is held against what there is: names of nothing, groups of nobody, by any spelling of a name', async () => {
    const { id } = await personWithApp(inst.owner, 'yara.duarte');
    for (const name of ['emergency', 'Harbour-Control']) await inst.owner.call('groups.add', { body: { name } });
    const whole = await inst.owner.call('groups.add', { body: { name: 'on-shift' } });
    const part = (await inst.owner.call('groups.list', { query: { q: 'harbour' } })).rows[0]!;
    await inst.owner.call('groups.join', { params: { id: part.id, personId: id } });
    await inst.owner.call('groups.addPart', { params: { id: whole.id, partId: part.id } });
    await inst.owner.call('applications.add', { body: { name: 'Payroll' } });
    await inst.owner.call('networks.add', { body: { name: 'tower', ranges: ['10.1.0.0/16'], country: 'GB' } });
    const found = async (text: string) =>
      (await check(text)).findings.map(({ what, facts }) => [what, facts['name'] ?? facts['because']].join(' '));
    expect(await found(readFileSync(example, 'utf8'))).toEqual([
      'group-empty emergency',
      'name-unknown Remote Desk VPN',
      'name-unknown Vessel Traffic',
    ]);
    const shift =
      'form: 1\nrules:\n  - { rule: A, who: { groups: [ON-SHIFT] }, then: let in }\n  - { rule: B, who: { groups: [ON-SHIFT] }, at: { applications: [payroll] }, then: refuse }\notherwise: refuse\n';
    expect(await found(shift)).toEqual(['never-reached A']);
  });

  it('may be large, within a bound that is said, while other calls stay small', async () => {
    const rules = (n: number) =>
      Array.from({ length: n }, (_, i) => `  - { rule: rule ${i}, who: { people: [p${i}] }, then: refuse }`).join('\n');
    const text = (n: number) => `form: 1\nrules:\n${rules(n)}\notherwise: refuse\n`;
    expect((await check(text(3_000))).rulebook!.rules).toHaveLength(3_000);
    expect((await check(text(10_001))).problems.map(({ what }) => what)).toEqual(['list-too-long']);
    await expect(check('x'.repeat(1_000_001))).rejects.toMatchObject({ code: 'invalid-input' });
    // The service answers and hangs up while the rest is still being sent; some clients only see the latter.
    const tooLarge = await check('x'.repeat(4_000_000)).then(
      () => 'taken',
      (error: { code?: string }) => error.code ?? 'hung up',
    );
    expect(['body-too-large', 'hung up']).toContain(tooLarge);
  }, 60_000);

  it('is checked from the command line, each problem with file, line and column', async () => {
    const env = { PATH: process.env['PATH'], NLATCH_SERVER: inst.url, NLATCH_TOKEN: inst.ownerToken, HOME: inst.dir };
    const nlatch = async (file: string) => await nlatchWithin(['rulebook', 'check', file], { env });
    expect((await nlatch(example)).out).toMatch(/ 4\. Wages\n +Everybody · at Payroll · except yara\.duarte until/);
    const wrong = join(inst.dir, 'wrong.yaml');
    writeFileSync(wrong, 'form: 1\nrules:\n  - rule: A\n    then: { ask for: [password + tptp] }\notherwise: refuse\n');
    expect(await nlatch(wrong)).toMatchObject({
      code: 2,
      err: expect.stringContaining(`${wrong}:4:23: not a way: tptp`),
    });
    expect(await nlatch(join(inst.dir, 'nothing.yaml'))).toMatchObject({
      code: 2,
      err: expect.stringContaining('ENOENT'),
    });
  });
});

import { execFile } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { createClient } from '@nimble-latch/api/client';
import type { Answer, Sent } from '@nimble-latch/api';
import { parse } from 'csv-parse/sync';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { administrator, withSignature, type Administrator } from './support/administrators.js';
import { Installation } from './support/installation.js';
import { inviting, mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let post: Post;
let at: ReturnType<typeof inviting>;
let second: Administrator;
const dir = mkdtempSync(join(tmpdir(), 'nlatch-'));
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(2, post.environment);
  at = inviting(inst, post);
  await publish(inst.owner, rulebookOf([CONSOLE]));
  second = await administrator(inst, 'second.custodian', 'custodian');
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
  rmSync(dir, { recursive: true, force: true });
});

type Merged = NonNullable<Answer<'invitationRounds.merge'>['made']>;
const signed = { code: 'signature-needed' };
const merge = async (id: string, body: Sent<'invitationRounds.merge', 'body'> = {}, by = inst.owner) =>
  await by.call('invitationRounds.merge', { params: { id }, body });
const madeFor = async (id: string, body?: Sent<'invitationRounds.merge', 'body'>) =>
  (await withSignature(second.client, async () => await merge(id, body))).made!;
const byFile = async (...people: string[]) => (await at.invite({ ids: people }, { via: 'file' })).id;

/** What another archiver reads in the file, with a password. */
async function opened({ zip }: Pick<Merged, 'zip'>, password: string): Promise<Record<string, string>[]> {
  const file = join(dir, 'some.zip');
  writeFileSync(file, Buffer.from(zip, 'base64'));
  const { stdout } = await promisify(execFile)('bsdtar', ['--passphrase', password, '-xOf', file, 'invitations.csv']);
  return parse(stdout, { bom: true, columns: true });
}

describe('a merge file of invitations', () => {
  it('is made after a second administrator’s yes, once, and its codes bring its people in', async () => {
    const ids = [
      await at.add('merged.one', { displayName: '=cmd|"calc"; A, "B" {code}', language: 'de' }),
      await at.add('merged.two'),
    ];
    const round = await byFile(...ids);
    const show = async () => await inst.owner.call('invitationRounds.show', { params: { id: round } });
    expect(await show()).toMatchObject({ via: 'file', unprinted: 2, unopened: 0 });
    await expect(merge(round)).rejects.toMatchObject(signed);
    // Nobody has a code before: neither a link nor a moment of sending.
    expect(await inst.sql('SELECT 1 FROM invitation_links l JOIN invitations i ON i.id = l.invitation_id')).toEqual([]);
    expect((await at.latest(ids[0]!)).state).toBe('queued');
    const { rows } = await second.client.call('signatures.list');
    const request = rows.find(({ action }) => action === 'merge-file')!;
    expect(request.consequence.facts).toMatchObject({ people: 2, columns: expect.not.stringContaining('mail') });
    // It says how many itself: nobody is named, and so nobody is left out.
    const { matter } = await second.client.call('signatures.show', { params: { id: request.id } });
    expect(matter).toMatchObject({ names: [], unnamed: 0 });
    await second.client.call('signatures.give', { params: { id: request.id } });
    // A yes to a file without addresses is none to one that has them.
    await expect(merge(round, { withMail: true })).rejects.toMatchObject(signed);
    const { made, left } = await merge(round);
    expect([made!.people, left]).toEqual([2, 0]);
    expect(await show()).toMatchObject({ unprinted: 0, unopened: 2 });
    expect(await merge(round)).toEqual({ made: null, left: 0, before: null });

    await expect(
      opened(
        made!,
        made!.password.replace(/^./, (one) => (one === 'A' ? 'C' : 'A')),
      ),
    ).rejects.toThrow(/passphrase/i);
    // Neither names nor codes can be read without it.
    expect(Buffer.from(made!.zip, 'base64').includes('merged')).toBe(false);
    const people = await opened(made!, made!.password);
    expect(people.map((one) => one['login_name'])).toEqual(['merged.one', 'merged.two']);
    const [one, two] = people as [Record<string, string>, Record<string, string>];
    // What a spreadsheet would run is text; what looks like a field in a name is none.
    expect(one['name']).toBe('\'=cmd|"calc"; A, "B" {code}');
    expect(one['subject']).toContain('richten Sie ein');
    expect(two['text']).toContain(two['code']);
    expect(two['link']).toBe(`${two['page']}#${two['code']}`);
    expect(Object.keys(two)).not.toContain('mail');
    await post.letter(mailOf('merged.two'), /was put into a file/);
    const right = await at.rightBy(two['code']!, 1);
    await at.proveApp(right, await at.beginApp(right));
    expect((await at.latest(ids[1]!)).state).toBe('done');
    expect((await at.latest(ids[0]!)).state).toBe('sent');
    const trail = await inst.owner.call('trail.list', { query: { limit: 100 } });
    const entries = trail.rows.filter(({ action }) => action.endsWith('.merged'));
    expect(entries.map(({ action, person }) => [action, person?.id ?? null])).toEqual(
      expect.arrayContaining([
        ['invitations.merged', null],
        ['invitation.merged', ids[0]],
        ['invitation.merged', ids[1]],
      ]),
    );
    expect(JSON.stringify(trail.rows)).not.toContain(made!.password);
  });

  it('is somebody’s alone where two ask for it on two nodes at once', async () => {
    const round = await byFile(await at.add('raced.one'), await at.add('raced.two'));
    const request = await merge(round).catch((error: { problem: { facts: { request: string } } }) => error.problem);
    await second.client.call('signatures.give', {
      params: { id: (request as { facts: { request: string } }).facts.request },
    });
    const ends = await Promise.all(
      [0, 1, 0, 1].map(async (node) =>
        merge(round, {}, createClient({ server: inst.nodes[node]!.url, token: inst.ownerToken })).catch(
          (error: unknown) => error as Answer<'invitationRounds.merge'>,
        ),
      ),
    );
    const files = ends.flatMap(({ made }) => (made ? [made] : []));
    expect(files).toHaveLength(1);
    expect(await opened(files[0]!, files[0]!.password)).toHaveLength(2);
  });

  it('is made again for those who opened nothing, which ends what the one before held of them', async () => {
    const [lost, used] = [await at.add('lost.file'), await at.add('used.file')];
    const round = await byFile(lost, used);
    const first = await madeFor(round, { withMail: true });
    const [one, two] = await opened(first, first.password);
    expect([one!['mail'], two!['mail']]).toEqual([mailOf('lost.file'), mailOf('used.file')]);
    await at.bring(two!['code']!);
    await expect(merge(round, { again: true })).rejects.toMatchObject(signed);
    // Of those whose file is older than the first of them, there is nobody.
    expect(await merge(round, { again: true, before: '2026-01-01T00:00:00Z' })).toEqual({
      made: null,
      left: 0,
      before: '2026-01-01T00:00:00.000Z',
    });
    const again = await madeFor(round, { again: true });
    const rows = await opened(again, again.password);
    expect(rows.map((row) => row['login_name'])).toEqual(['lost.file']);
    expect(again.password).not.toBe(first.password);
    await expect(at.bring(one!['code']!)).rejects.toMatchObject({ code: 'invitation-gone' });
    for (const code of [rows[0]!['code']!, two!['code']!]) expect((await at.bring(code)).signIn.state).toBe('asking');
  });

  it('takes another yes once one of its people is sent anew or withdrawn', async () => {
    const ids = [await at.add('moved.one'), await at.add('moved.two'), await at.add('moved.three')];
    const round = await byFile(...ids);
    const yes = async () => {
      const error = await merge(round).catch(
        (problem: unknown) => problem as { problem: { facts: { request: string } } },
      );
      const { request } = (error as { problem: { facts: { request: string } } }).problem.facts;
      await second.client.call('signatures.give', { params: { id: request } });
    };
    await yes();
    await inst.owner.call('invitations.withdraw', { params: { id: (await at.latest(ids[0]!)).id } });
    await expect(merge(round)).rejects.toMatchObject(signed);
    await yes();
    const { made } = await merge(round);
    expect(made!.people).toBe(2);
    // One that is sent anew waits for another file, and what it had is of no use.
    const [gone] = await opened(made!, made!.password);
    await inst.owner.call('invitations.sendAnew', { params: { id: (await at.latest(ids[1]!)).id } });
    await expect(at.bring(gone!['code']!)).rejects.toMatchObject({ code: 'invitation-gone' });
    expect((await madeFor(round)).people).toBe(1);
  });

  it('is for whoever may invite, of their own sendings, and never of administrators', async () => {
    const round = await byFile(await at.add('guarded.one'));
    const auditor = await administrator(inst, 'merge.auditor', 'auditor');
    await expect(merge(round, {}, auditor.client)).rejects.toMatchObject({ code: 'not-permitted' });
    const narrow = await inst.owner.call('accessTokens.add', {
      body: { label: 'narrow', permissions: ['invitation.send'] },
    });
    const tool = createClient({ server: inst.url, token: narrow.token });
    await expect(merge(round, { withMail: true }, tool)).rejects.toMatchObject({ code: 'not-permitted' });
    const byMail = await at.invite({ ids: [await at.add('by.mail')] });
    await expect(merge(byMail.id)).rejects.toMatchObject({ code: 'wrong-state' });
    await expect(inst.owner.call('invitationRounds.print', { params: { id: round } })).rejects.toMatchObject({
      code: 'wrong-state',
    });
    const preview = await inst.owner.call('invitationRounds.preview', {
      body: { who: { ids: [auditor.id] }, methods: ['webauthn'], via: 'file' },
    });
    expect(preview.outcomes).toEqual({ 'owners-only': 1 });
  });

  it('is written by the client into a file of one’s own, or not at all', async () => {
    await at.add('scripted.one');
    const nlatch = async (...args: string[]) =>
      await nlatchWithin(['invitation', ...args], {
        env: {
          PATH: process.env['PATH']!,
          HOME: dir,
          NLATCH_TOKEN: inst.ownerToken,
          NLATCH_SERVER: inst.url,
          TZ: 'UTC',
        },
        input: '',
      });
    expect((await nlatch('send', 'scripted.one', '--method', 'totp', '--letter', '--merge', '-y')).code).toBe(2);
    const sent = await nlatch('send', 'scripted.one', '--method', 'totp', '--merge', '-y');
    const id = /nlatch invitation merge-file ([\w-]+) --out/.exec(sent.out)![1]!;
    const out = join(dir, 'invitations.zip');
    const asked = await nlatch('merge-file', id, '--out', out, '-y');
    expect(asked.err).toContain('second administrator');
    expect(existsSync(out)).toBe(false);
    const { rows } = await second.client.call('signatures.list');
    await second.client.call('signatures.give', { params: { id: rows.find(({ state }) => state === 'open')!.id } });
    writeFileSync(join(dir, 'mine.zip'), 'mine');
    expect((await nlatch('merge-file', id, '--out', join(dir, 'mine.zip'), '-y')).err).toContain('--out');
    expect(readFileSync(join(dir, 'mine.zip'), 'utf8')).toBe('mine');
    const made = await nlatch('merge-file', id, '--out', out, '-y');
    const password = /^ {4}([A-Z-]{29})$/m.exec(made.out)![1]!;
    expect(statSync(out).mode & 0o077).toBe(0);
    expect(await opened({ zip: readFileSync(out).toString('base64') }, password)).toHaveLength(1);
    const again = await nlatch('merge-file', id, '--out', join(dir, 'again.zip'), '-y');
    expect(again.out).toContain('1 person has not opened theirs: --again');
    expect(existsSync(join(dir, 'again.zip'))).toBe(false);
  });
});

import { connect } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation } from './support/installation.js';

let inst: Installation;
let host: string;
let port: number;
beforeAll(async () => {
  inst = await Installation.start();
  ({ hostname: host } = new URL(inst.url));
  port = Number(new URL(inst.url).port);
});
afterAll(async () => await inst.stop());

/** Sends bytes as they are; answers the status, the headers and the body of what comes. */
async function raw(bytes: string): Promise<{ status: number; headers: string; body: string }> {
  return await new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes));
    let said = '';
    socket.on('data', (part) => (said += part.toString('latin1')));
    socket.on('error', reject);
    socket.on('close', () => {
      const [headers = '', body = ''] = said.split('\r\n\r\n');
      resolve({ status: Number(/^HTTP\/1\.1 (\d+)/.exec(headers)?.[1]), headers: headers.toLowerCase(), body });
    });
    setTimeout(() => socket.destroy(), 5_000).unref();
  });
}
const get = async (path: string, more = '') =>
  await raw(`GET ${path} HTTP/1.1\r\nhost: ${host}:${port}\r\nconnection: close\r\n${more}\r\n`);
const AS_OWNER = () => `authorization: Bearer ${inst.ownerToken}\r\n`;

describe('odd addresses', () => {
  it('are answered as what is not there, in our form and with our headers', async () => {
    const long = 'a'.repeat(3_000);
    for (const path of [
      '/assets/%',
      '/assets/%ff',
      '/assets/%2e%2e/%2e%2e/etc/passwd',
      '/assets/..%2f..%2findex.html',
      '/assets/%00',
      '/assets//',
      '/assets/x%5c..%5c',
      '/%',
      '/%ff%fe',
      '/api/v1/people/%',
      `/api/v1/people/${long}`,
      `/api/v1/networks/${long}/x`,
      '/api/v1/%E0%A4%A',
    ]) {
      const { status, headers, body } = await get(path, AS_OWNER());
      expect([path.slice(0, 40), status]).toEqual([path.slice(0, 40), 404]);
      expect(headers).toContain('content-type: application/problem+json');
      for (const header of [
        'x-content-type-options: nosniff',
        'content-security-policy: ',
        'referrer-policy: no-referrer',
      ])
        expect([path.slice(0, 40), headers.includes(header)]).toEqual([path.slice(0, 40), true]);
      expect(body).toContain('"code":"not-found"');
    }
  });

  it('never make the address that a browser is sent to', async () => {
    for (const path of [
      '//other.example/x',
      '/\\other.example/x',
      '//other.example',
      '/%0d%0alocation:x',
      '/people?x=1',
      '/a//b',
    ]) {
      const { status, headers } = await raw(
        `GET ${path} HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\naccept: text/html\r\nconnection: close\r\n\r\n`,
      );
      const to = /\r\nlocation: ([^\r]*)/.exec(headers)?.[1];
      if (status === 302) expect(new URL(to!).origin).toBe(new URL(inst.url).origin.replace('127.0.0.1', 'localhost'));
      else expect([path, status]).toEqual([path, 404]);
    }
  });

  it('and what is no request are refused in our form', async () => {
    for (const [expected, bytes] of [
      [400, 'nonsense\r\n\r\n'],
      [431, `GET / HTTP/1.1\r\nhost: x\r\nx: ${'y'.repeat(40_000)}\r\n\r\n`],
    ] as const) {
      const { status, headers, body } = await raw(bytes);
      expect(status).toBe(expected);
      expect(headers).toContain('x-content-type-options: nosniff');
      expect(body).toContain('"code":"malformed-request"');
    }
  });
});

describe('odd values', () => {
  const cursor = (values: unknown) => encodeURIComponent(Buffer.from(JSON.stringify(values)).toString('base64url'));
  const ID = '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11';

  it('in cursors, dates and texts are refused or taken, and never end in an error of ours', async () => {
    const dates = [
      '2026-13-45T99:99:99.000Z',
      '+275760-09-13T00:00:00.001Z',
      'never',
      '',
      '2026-02-30T00:00:00.000Z',
      7,
      null,
    ];
    const texts = ['\ud800', 'a\udfff', '\u0000', 'x'.repeat(400)];
    const cursors = [
      ...dates.map((date) => `/trail?cursor=${cursor([date, ID, 1])}`),
      ...[-1, 1.5, 1e300, '1', null].map(
        (number) => `/trail?cursor=${cursor(['2026-01-01T00:00:00.000Z', ID, number])}`,
      ),
      ...texts.flatMap((text) => [
        `/people?cursor=${cursor([text, ID])}`,
        `/groups?cursor=${cursor([text])}`,
        `/stock?cursor=${cursor([text, text])}`,
      ]),
      ...['x'.repeat(36), '-'.repeat(36), 5, {}].map((id) => `/activity/sign-ins?cursor=${cursor([id])}`),
      ...[-1, 1e300, 0.5].map((rank) => `/people?q=a&cursor=${cursor([rank, 'a', ID])}`),
    ];
    const queries = [
      ...[
        '0000-01-01T00:00:00Z',
        '0001-01-01T00:00:00.000Z',
        '9999-12-31T23:59:59.999Z',
        '1969-12-31T23:59:59Z',
      ].flatMap((at) => [
        `/activity/sign-ins?since=${at}`,
        `/activity/sign-ins?until=${at}`,
        `/trail?since=${at}`,
        `/trail?until=${at}`,
      ]),
      ...['%ED%A0%80', '%00', '%F0%9F%92%A9', '%', '\\'].flatMap((text) => [
        `/people?q=${encodeURIComponent(text)}`,
        `/groups?q=${text === '%' ? '%25' : text}`,
        `/stock?q=${text === '%' ? '%25' : text}`,
        `/people?loginName=${text === '%' ? '%25' : text}`,
      ]),
      '/people?limit=1e9',
      '/people?limit=-1',
      '/people?limit=1&limit=2',
      '/people?__proto__=1',
      `/people?group=${ID.toUpperCase()}`,
    ];
    for (const path of [...cursors, ...queries]) {
      const answer = await fetch(`${inst.url}/api/v1${path}`, {
        headers: { authorization: `Bearer ${inst.ownerToken}` },
      });
      const { code } = answer.ok ? { code: 'ok' } : ((await answer.json()) as { code: string });
      expect([path, code]).not.toEqual([path, 'internal']);
      expect([200, 400, 404]).toContain(answer.status);
    }
    expect(inst.logs()).not.toContain('request failed');
  });

  it('do not make one name look like another: what nobody sees goes, and what is not compared is the same name', async () => {
    await inst.owner.call('groups.add', { body: { name: 'pil\u00adots\u200b' } });
    const { rows } = await inst.owner.call('groups.list');
    expect(rows.map(({ name }) => name)).toEqual(['pilots']);
    const add = async (name: string) =>
      await inst.owner.call('groups.add', { body: { name } }).then(
        () => 'taken',
        (error: { code: string }) => error.code,
      );
    for (const unseen of ['\u00ad', '\u200b', '\u2060', '\ufeff', '\u3164', '\u034f', '\u{e0041}'])
      expect([unseen, await add(`pi${unseen}lots`)]).toEqual([unseen, 'name-taken']);
    for (const unseen of ['\u200b', ' \ufeff', '\u202e', 'pi\u2066lots', 'pi\u0007lots'])
      expect([unseen, await add(unseen)]).toEqual([unseen, 'invalid-input']);
    const same = [
      'PILOTS',
      ' pilots\u00a0',
      'p\u00edlots',
      'pi\u0301lots',
      'pilot\u017f',
      'pilots\u200d',
      'pilots\ufe0f',
    ];
    const wide = [...'pilots'].map((letter) => String.fromCodePoint(letter.codePointAt(0)! + 0xfee0)).join('');
    for (const other of [...same, wide]) expect([other, await add(other)]).toEqual([other, 'name-taken']);
    // Joiners that a script needs stay.
    expect(await add('\u0645\u06cc\u200c\u062e\u0648\u0627\u0647\u0645')).toBe('taken');
  });

  it('in times are one spelling of one moment: RFC 3339 in UTC, nothing that reads like it', async () => {
    const status = async (at: string) =>
      (
        await fetch(`${inst.url}/api/v1/activity/sign-ins?since=${encodeURIComponent(at)}`, {
          headers: { authorization: `Bearer ${inst.ownerToken}` },
        })
      ).status;
    expect(await status('2026-11-29T02:00:00Z')).toBe(200);
    const others = [
      '2026-11-29t02:00:00z',
      '2026-11-29T16:00:00+14:00',
      '2026-11-29T02:00:00',
      '2026-11-29',
      '20261129T020000Z',
    ];
    const odd = [
      '2026-11-29T24:00:00Z',
      '2026-11-29T23:59:60Z',
      ' 2026-11-29T02:00:00Z',
      '1764381600',
      '\uff12026-11-29T02:00:00Z',
    ];
    for (const at of [...others, ...odd]) expect([at, await status(at)]).toEqual([at, 400]);
  });
});

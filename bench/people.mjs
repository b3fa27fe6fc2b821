/**
 * The benchmark of lists: people by page, filter and search, at many people beside few, in the same run on the same
 * server. Both populations come from the demo's generator; the smaller is the beginning of the larger.
 *
 * Requests to the two are sent in turn, each filter's own people in random places, so that caches are as warm for one as
 * for the other. The goal is about the same speed at any size. At the end a headless Chromium opens the console's People
 * page of both: from the request to the table that can be used, the browser's cache empty and then filled.
 */
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { createClient } from '@nimble-latch/api/client';
import { chromium } from 'playwright-core';
import { chore, createDatabase, environment, startService } from '../scripts/lib/installation.mjs';
import { freePort, startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';

const FEW = 10_000;
const MANY = Number(process.env.NLATCH_BENCH_PEOPLE ?? 1_000_000);
const TIMES = Number(process.env.NLATCH_BENCH_TIMES ?? 150);
const BROWSER_TIMES = 7;
const GOALS = { ratio: 1.5, p95Ms: 50 };
/** A folder to keep the populations in, for running it again; loading a million takes minutes. */
const kept = process.env.NLATCH_BENCH_DIR;

const dir = kept ?? mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
mkdirSync(dir, { recursive: true });
const server = await startPrivateMariadb({ dir: join(dir, 'db'), durable: true, bufferPoolMb: 2048 });
const stops = [() => server.stop()];
const quantile = (values, q) =>
  values.toSorted((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * q))];

/** An installation with so many people, and how its lists are asked. */
async function installation(count) {
  const database = await createDatabase(server, `people_${count}`);
  const port = await freePort();
  const env = environment(database, {
    masterKeyFile: join(dir, `master-${count}.key`),
    port,
    more: { NLATCH_LOG_LEVEL: 'warn' },
  });
  const fresh = !existsSync(join(dir, `master-${count}.key`));
  await chore(env, 'migrate');
  if (fresh) {
    await chore(env, 'keys', 'create');
    const start = performance.now();
    await chore(env, 'demo', '--people', String(count));
    const seconds = (performance.now() - start) / 1000;
    process.stdout.write(
      `Loaded ${count} people in ${seconds.toFixed(0)} s, ${Math.round(count / seconds)} a second.\n`,
    );
  }
  const service = await startService(env);
  stops.push(() => service.stop());
  const client = createClient({ server: service.url, token: await chore(env, 'owner-token', '--for', 'ines.marlow') });
  const groups = (await client.call('groups.list', { query: {} })).rows;
  return { count, env, url: service.url, client, groups, cursors: await deepCursors(client) };
}

/** Cursors from places all over the list. */
async function deepCursors(client) {
  const cursors = [];
  for (const q of 'abcdefghijklmnoprstuvwxyz') {
    const { next } = await client.call('people.list', { query: { q, limit: 20 } });
    if (next) cursors.push({ q, next });
  }
  return cursors;
}

/** Milliseconds until the People table can be used in a browser that was never there, and in one that was. */
async function untilUsable({ env, url }) {
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: process.getuid?.() === 0 ? ['--no-sandbox'] : [],
  });
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const link = /(http\S+enter#\S+)/.exec(await chore(env, 'owner-link', '--for', 'ines.marlow'))[1];
    await page.goto(`${url}/enter#${link.split('#')[1]}`);
    await page.getByRole('button', { name: /Sign in as/ }).click();
    await page.getByRole('heading', { name: 'Overview' }).waitFor();
    const cookies = await page.context().storageState();
    const took = { cold: [], warm: [] };
    for (let i = 0; i < BROWSER_TIMES; i++) {
      // A context of its own has a cache of its own.
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, storageState: cookies });
      const fresh = await context.newPage();
      for (const name of ['cold', 'warm']) {
        const start = performance.now();
        await fresh.goto(`${url}/people`);
        await fresh.getByRole('grid').getByRole('row').nth(20).waitFor();
        took[name].push(performance.now() - start);
      }
      await context.close();
    }
    return took;
  } finally {
    await browser.close();
  }
}

const any = (list, i) => list[(i * 7) % list.length];
const PREFIXES = ['ma', 'hol', 'ines', 'tamsin', 'pol', 'wex\\a', 'freya h', 'quill', 'o', 'sandvik r'];
const QUESTIONS = {
  'first page': () => ({}),
  'next page': (at) => ({ cursor: at.page }),
  'state: deactivated': () => ({ state: 'deactivated' }),
  'state: active': () => ({ state: 'active' }),
  'source: by hand': () => ({ source: 'hand' }),
  'coverage: two factors': () => ({ coverage: 'two-factors' }),
  'coverage: nothing': () => ({ coverage: 'nothing' }),
  'method: totp': () => ({ method: 'totp' }),
  'seen: this month': () => ({ seen: 'this-month' }),
  'group, each in turn': (at, i) => ({ group: any(at.groups, i).id }),
  'group and coverage': (at, i) => ({ group: any(at.groups, i).id, coverage: 'weak' }),
  'prefix search': (_, i) => ({ q: any(PREFIXES, i) }),
  'search, next page': (at, i) => ({ q: any(at.cursors, i).q, cursor: any(at.cursors, i).next, limit: 20 }),
  'exact mail address': () => ({ q: 'tamsin.holt@wexmoor.example' }),
};

try {
  const few = await installation(FEW);
  const many = await installation(MANY);
  const ask = async (at, question, i) => {
    const query = QUESTIONS[question](at, i);
    const start = performance.now();
    const answer = await at.client.call('people.list', { query });
    const took = performance.now() - start;
    if (question === 'first page' || question === 'next page') at.page = answer.next ?? undefined;
    return took;
  };
  const lines = [];
  let met = true;
  for (const question of Object.keys(QUESTIONS)) {
    const took = { few: [], many: [] };
    for (let i = 0; i < TIMES + 20; i++) {
      const [a, b] = [await ask(few, question, i), await ask(many, question, i)];
      if (i < 20) continue;
      took.few.push(a);
      took.many.push(b);
    }
    const [p50, p95] = [0.5, 0.95].map((q) => ({ few: quantile(took.few, q), many: quantile(took.many, q) }));
    const ratio = p95.many / p95.few;
    const good = ratio <= GOALS.ratio && p95.many <= GOALS.p95Ms;
    met &&= good;
    lines.push(
      `${question.padEnd(24)} ${p50.few.toFixed(1).padStart(7)} ${p50.many.toFixed(1).padStart(7)} ${p95.few.toFixed(1).padStart(9)} ${p95.many.toFixed(1).padStart(7)} ${ratio.toFixed(2).padStart(7)}  ${good ? 'met' : 'NOT met'}`,
    );
  }
  const counts = { few: [], many: [] };
  for (let i = 0; i < 20; i++)
    for (const [name, at] of Object.entries({ few, many })) {
      const start = performance.now();
      await at.client.call('people.counts');
      counts[name].push(performance.now() - start);
    }
  const usable = { few: await untilUsable(few), many: await untilUsable(many) };
  const inBrowser = (name) =>
    `People page, ${name}`.padEnd(24) +
    [usable.few, usable.many].map((at) => quantile(at[name], 0.5).toFixed(0).padStart(8)).join('') +
    '   median, until rows can be used';
  process.stdout.write(
    [
      '',
      `Machine: ${cpus()[0].model}, ${cpus().length} cores, Node ${process.version}; pages of 50 over HTTP, ${TIMES} of each, milliseconds`,
      `                             p50 of          p95 of`,
      `                          ${String(FEW).padStart(6)} ${String(MANY).padStart(7)}    ${String(FEW).padStart(6)} ${String(MANY).padStart(7)}   ratio  goal: p95 at most ${GOALS.ratio} times, under ${GOALS.p95Ms} ms`,
      ...lines,
      `counts of all filters    ${quantile(counts.few, 0.5).toFixed(1).padStart(7)} ${quantile(counts.many, 0.5).toFixed(1).padStart(7)}`,
      inBrowser('cold'),
      inBrowser('warm'),
      `All goals ${met ? 'met' : 'NOT met'}`,
      '',
    ].join('\n'),
  );
} finally {
  for (const stop of stops.reverse()) await stop();
  if (!kept) rmSync(dir, { recursive: true, force: true });
}

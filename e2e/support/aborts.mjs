/**
 * Loaded into a node before its own code (`NLATCH_TEST_FAULTS=aborts scripts/test e2e`): before each statement of each transaction, once for
 * each text, another member of the cluster writes a row that the transaction holds, so that its member aborts it there. What the node does
 * about that is its own code, and so is what the driver does: nothing but the moment is made up.
 *
 * What was aborted and what was sent in a transaction and not aborted is noted in a file for each process, which aborting.ts sums up.
 */
import { AsyncLocalStorage } from 'node:async_hooks';
import { appendFileSync, readdirSync, readFileSync } from 'node:fs';
import { Server } from 'node:http';
import { createRequire } from 'node:module';
import { join } from 'node:path';

const { here, there, admin, notes } = JSON.parse(process.env.CLUSTER_ABORTS);
const require = createRequire(new URL('../../packages/service/package.json', import.meta.url));
const mariadb = require('mariadb');
const ConnectionManager = require('sequelize/lib/dialects/mariadb/connection-manager').ConnectionManager;

const SERVER_STATUS_IN_TRANS = 1;
/** Aborts for one request, or before one transaction of the node's own comes through: a use case is given up after six. */
const MOST_IN_A_ROW = 5;

/** What no node of this run has to meet again: what is left are the last statements of use cases that have many. @type {Set<string>} */
const aborted = new Set(
  readdirSync(notes)
    .flatMap((file) => readFileSync(join(notes, file), 'utf8').split('\n').filter(Boolean))
    .map((line) => JSON.parse(line))
    .filter(({ what }) => what === 'aborted')
    .map(({ text }) => text),
);
/** @type {Set<string>} */
const seen = new Set();
/** How often what a request asked for was aborted, and what nobody asked for. */
const requests = new AsyncLocalStorage();
const own = { aborts: 0 };
let count = 0;
/** One at a time: two that wait for each other's rows would wait for long. */
let turn = Promise.resolve();
let connections;
const note = (what, text) => appendFileSync(join(notes, `${process.pid}.jsonl`), `${JSON.stringify({ what, text })}\n`);

/** Lists of any length, and rows of any number, are the same statement. */
const usual = (text) =>
  text
    .replace(/\s+/g, ' ')
    .replace(/`[0-9a-f-]{36}-sp-\d+`/g, '`…`')
    .replace(/X'[0-9a-f]*'|'(?:[^'\\]|\\.|'')*'/gi, "''")
    .replace(/\b\d+\b/g, '0')
    .replace(/\?(, \?)+/g, '?…')
    .replace(/(\([^()]*\))(, \1)+/g, '$1…')
    .slice(0, 2_000);

async function connect() {
  const to = (port) => mariadb.createConnection({ host: '127.0.0.1', port, ...admin, database: 'faults' });
  const [own, other] = await Promise.all([to(here), to(there)]);
  await own.query('SET SESSION wsrep_sync_wait = 1');
  return { own, other };
}

/** A node that ends waits for nobody's connections. */
let ending = false;
process.once('SIGTERM', () => {
  ending = true;
  void turn.then(async () => {
    const { own, other } = (await connections) ?? {};
    own?.destroy();
    other?.destroy();
  });
});

/** Lets another member win over the transaction that is open on `connection`. */
async function abort(send) {
  const { own, other } = await (connections ??= connect());
  const id = (process.pid % 100_000) * 10_000 + (count++ % 10_000);
  await other.query('REPLACE INTO held VALUES (?, 0)', [id]);
  await own.query('SELECT n FROM held WHERE id = ?', [id]);
  await send('UPDATE faults.held SET n = n + 1 WHERE id = ?', [id]);
  await other.query('UPDATE held SET n = n + 10 WHERE id = ?', [id]);
  // Carried out here as well: the transaction's lock on the row is gone by then.
  await own.query('SELECT n FROM held WHERE id = ?', [id]);
}

function arm(connection) {
  const query = connection.query.bind(connection);
  const prepare = connection.prepare.bind(connection);
  const batch = connection.batch.bind(connection);
  let ready = Promise.resolve();
  /** In the order that they were given in, each waits until what it may have to meet has come. */
  const guarded = (text, send) => {
    const meet = async () => {
      const inside = ((connection.info?.status ?? 0) & SERVER_STATUS_IN_TRANS) !== 0;
      if (ending || !inside || /^\s*(ROLLBACK|COMMIT|SET|START)\b/i.test(text)) return;
      const name = usual(text);
      if (aborted.has(name)) return;
      if (!seen.has(name)) {
        seen.add(name);
        note('seen', name);
      }
      const asked = requests.getStore() ?? own;
      if (asked.aborts >= MOST_IN_A_ROW) return;
      asked.aborts += 1;
      const mine = turn.then(async () => {
        if (aborted.has(name)) return;
        await abort(query);
        aborted.add(name);
        note('aborted', name);
      });
      turn = mine.catch((error) => note('failed', `${name}: ${error}`));
      await turn;
    };
    const sent = ready.then(meet).then(async () => {
      const answer = await send();
      if (/\bCOMMIT\b/.test(text) && requests.getStore() === undefined) own.aborts = 0;
      return answer;
    });
    ready = sent.catch(() => undefined);
    return sent;
  };
  const textOf = (sql) => (typeof sql === 'string' ? sql : sql.sql);
  connection.query = (sql, values) => guarded(textOf(sql), () => query(sql, values));
  connection.batch = (sql, values) => guarded(textOf(sql), () => batch(sql, values));
  connection.prepare = async (sql) => {
    const prepared = await prepare(sql);
    const execute = prepared.execute.bind(prepared);
    prepared.execute = (values, ...more) => guarded(textOf(sql), () => execute(values, ...more));
    return prepared;
  };
}

const { connect: connectAs } = ConnectionManager.prototype;
ConnectionManager.prototype.connect = async function (config) {
  const connection = await connectAs.call(this, config);
  arm(connection);
  return connection;
};

const { emit } = Server.prototype;
Server.prototype.emit = function (event, ...args) {
  if (event !== 'request') return emit.call(this, event, ...args);
  return requests.run({ aborts: 0 }, () => emit.call(this, event, ...args));
};

/** Loading a server and measuring what it takes; for the benchmarks over HTTP. */
import { readFileSync } from 'node:fs';
import { Agent, request } from 'node:http';

export const IN_FLIGHT = 32;
export const SECONDS = Number(process.env.NLATCH_BENCH_SECONDS ?? 5);

export const agent = new Agent({ keepAlive: true, maxSockets: IN_FLIGHT });
/** A lean HTTP call: the loader shares the two cores with what it measures. */
export function call(port, method, path, body, token) {
  return new Promise((resolve, reject) => {
    const payload = body === undefined ? undefined : JSON.stringify(body);
    const sent = request(
      {
        agent,
        host: '127.0.0.1',
        port,
        method,
        path,
        headers: {
          'content-type': 'application/json',
          ...(token ? { authorization: `Bearer ${token}` } : {}),
          ...(payload ? { 'content-length': Buffer.byteLength(payload) } : {}),
        },
      },
      (answer) => {
        let text = '';
        answer.setEncoding('utf8');
        answer.on('data', (part) => (text += part));
        answer.on('end', () =>
          answer.statusCode < 300
            ? resolve(JSON.parse(text))
            : reject(new Error(`${path}: ${answer.statusCode} ${text.slice(0, 200)}`)),
        );
      },
    );
    sent.on('error', reject);
    sent.end(payload);
  });
}

const quantile = (sorted, q) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * q))];
/** Runs `one` with 32 in flight for some seconds. */
export async function load(one) {
  const took = [];
  const end = performance.now() + SECONDS * 1000;
  await Promise.all(
    Array.from({ length: IN_FLIGHT }, async (_, lane) => {
      for (let i = 0; performance.now() < end; i++) {
        const start = performance.now();
        await one(lane, i);
        took.push(performance.now() - start);
      }
    }),
  );
  took.sort((a, b) => a - b);
  return { perSecond: took.length / SECONDS, p50: quantile(took, 0.5), p99: quantile(took, 0.99) };
}

/** Processor time of a process so far, in milliseconds (clock ticks of 10 ms). */
function processorMs(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  return (Number(fields[11]) + Number(fields[12])) * 10;
}
/** `load`, with the processor time for each check by process: the two cores are shared by all of them. */
export async function measured(one, pids) {
  const before = Object.entries(pids).map(([name, pid]) => [name, pid, processorMs(pid)]);
  const run = await load(one);
  const spent = before.map(([name, pid, ms]) => [name, (processorMs(pid) - ms) / (run.perSecond * SECONDS)]);
  return { ...run, spent };
}

export const median = (values) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)];
export const residentMb = (pid) => Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;

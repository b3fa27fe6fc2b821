/** Checks the code, runs the tests, and ends with the one line that counts. */
import { execFile, spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT } from './lib/installation.mjs';

const args = process.argv.slice(2);
const report = join(ROOT, '.run/test-report.json');
mkdirSync(join(ROOT, '.run'), { recursive: true });
rmSync(report, { force: true });

/** Two lanes side by side, of about the same length: the machine that this must be quick on has two cores. */
const LANES =
  args.length > 0
    ? []
    : [
        ['check:lint', 'check:dead'],
        ['check:format', 'check:types', 'check:structure', 'check:map'],
      ];
const CHECKS = LANES.flat();
let failedChecks = 0;
const check = (name) =>
  new Promise((resolve) => {
    execFile('npm', ['run', '--silent', name], { cwd: ROOT, maxBuffer: 64 * 1024 * 1024 }, (error, stdout, stderr) => {
      process.stdout.write(`· ${name}\n`);
      if (error) {
        failedChecks += 1;
        process.stdout.write(`${stdout}${stderr}\n`);
      }
      resolve();
    });
  });
await Promise.all(
  LANES.map(async (lane) => {
    for (const name of lane) await check(name);
  }),
);

process.stdout.write('· tests\n');
spawnSync('npx', ['vitest', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${report}`, ...args], {
  cwd: ROOT,
  stdio: 'inherit',
  env: { ...process.env, NODE_NO_WARNINGS: '1' },
});
let counts = { numPassedTests: 0, numFailedTests: 1, numFailedTestSuites: 1 };
try {
  counts = JSON.parse(readFileSync(report, 'utf8'));
} catch {
  process.stdout.write('The test runner ended without a report.\n');
}
// A file that could not even be loaded counts as a failure though it ran no test.
const brokenFiles = (counts.testResults ?? []).filter(
  (file) => file.status === 'failed' && file.assertionResults.length === 0,
).length;
const passed = counts.numPassedTests + (CHECKS.length - failedChecks);
const failed = counts.numFailedTests + brokenFiles + failedChecks;
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exit(failed > 0 || passed === 0 ? 1 : 0);

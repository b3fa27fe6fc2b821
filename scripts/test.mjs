/** Checks the code, runs the tests, and ends with the one line that counts. */
import { execFile, execFileSync, spawn } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT } from './lib/installation.mjs';

/** `--quick`: what needs neither a database nor a browser, and the checks of what was changed since the last commit. Within a minute. */
const quick = process.argv.includes('--quick');
const args = process.argv.slice(2).filter((arg) => arg !== '--quick');
const report = join(ROOT, '.run/test-report.json');
mkdirSync(join(ROOT, '.run'), { recursive: true });
rmSync(report, { force: true });

/**
 * What is checked in the code itself, beside the tests and behind them: these wait for pauses and disks a fifth of their time, which is
 * about what the checks take. Short ones first, so that what is quickly seen is quickly said.
 */
const ALL = ['check:format', 'check:map', 'check:dead', 'check:structure', 'check:types', 'check:lint'].map((name) => ({
  name,
  command: ['npm', 'run', '--silent', name],
}));
const CHECKS = args.length > 0 ? [] : quick ? ofChanged() : ALL;

/** Types and structure of all of it; format and rules of the files that were changed. */
function ofChanged() {
  const git = (...more) => execFileSync('git', more, { cwd: ROOT, encoding: 'utf8' }).split('\n').filter(Boolean);
  const changed = [
    ...git('diff', '--name-only', '--diff-filter=d', 'HEAD'),
    ...git('ls-files', '--others', '--exclude-standard'),
  ];
  const code = changed.filter((file) => /\.(ts|tsx|mjs)$/.test(file));
  return [
    ...ALL.filter(({ name }) => name === 'check:types' || name === 'check:structure'),
    ...(changed.length > 0
      ? [{ name: 'check:format', command: ['npx', 'prettier', '--check', '-u', ...changed] }]
      : []),
    ...(code.length > 0 ? [{ name: 'check:lint', command: ['npx', 'eslint', '--max-warnings', '0', ...code] }] : []),
  ];
}
const failures = [];
const check = ({ name, command }) =>
  new Promise((resolve) => {
    execFile('nice', ['-n', '19', ...command], { cwd: ROOT, maxBuffer: 64 * 1024 * 1024 }, (error, stdout, stderr) => {
      if (error) failures.push(`· ${name}\n${stdout}${stderr}\n`);
      resolve();
    });
  });
const checked = (async () => {
  // In a quick run nothing else keeps the second core busy.
  if (quick) await Promise.all(CHECKS.map(check));
  else for (const one of CHECKS) await check(one);
})();

const only = quick ? ['--project', 'core'] : [];
const command = [
  'vitest',
  'run',
  '--reporter=default',
  '--reporter=json',
  `--outputFile.json=${report}`,
  ...only,
  ...args,
];
const tested = new Promise((resolve) => {
  spawn('npx', command, { cwd: ROOT, stdio: 'inherit', env: { ...process.env, NODE_NO_WARNINGS: '1' } })
    .on('close', resolve)
    .on('error', resolve);
});
await Promise.all([checked, tested]);

process.stdout.write(`\nchecks of the code: ${CHECKS.length - failures.length} passed, ${failures.length} failed\n`);
for (const failure of failures) process.stdout.write(failure);
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
const passed = counts.numPassedTests + (CHECKS.length - failures.length);
const failed = counts.numFailedTests + brokenFiles + failures.length;
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exit(failed > 0 || passed === 0 ? 1 : 0);

/**
 * Makes docs/screenshots from the demo data: `node scripts/screenshots.mjs` beside a demo that runs (scripts/demo).
 * Pages through headless Chromium, the client in a terminal window under Xvfb.
 */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { chromium } from 'playwright-core';
import { NLATCH, ROOT, run } from './lib/installation.mjs';

const out = join(ROOT, 'docs/screenshots');
const demo = join(ROOT, '.run/demo');
mkdirSync(out, { recursive: true });
const { server: base } = JSON.parse(readFileSync(join(demo, 'cli/access.json'), 'utf8'));
const phone = process.env.NLATCH_DEMO_PHONE ?? 'http://localhost:8471';
const env = { ...process.env, NLATCH_CONFIG_DIR: join(demo, 'cli') };
const nlatch = async (...args) => JSON.parse((await run(NLATCH, [...args, '--json'], { env })).out);

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--disable-background-networking',
    '--disable-component-update',
    '--no-first-run',
    ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
  ],
});
const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
const page = await context.newPage();
const shoot = async (name) => {
  await page.waitForFunction(() => !document.querySelector('[aria-busy=true]') && document.fonts.status === 'loaded');
  await delay(400);
  await page.screenshot({ path: join(out, `${name}.png`) });
};

// Signed in as anybody would: by login name and password.
await page.goto(base);
await page.getByLabel('Login name').fill('ines.marlow');
await page.keyboard.press('Enter');
await page.getByLabel('Password', { exact: true }).fill('harbour lights at dawn');
await page.keyboard.press('Enter');
await page.getByRole('heading', { name: 'Overview' }).waitFor();
await shoot('overview');
await page.goto(`${base}/people`);
await page.getByRole('grid').waitFor();
await shoot('people');
await page.goto(`${base}/imports`);
const chooser = page.waitForEvent('filechooser');
await page.getByRole('button', { name: 'Choose a file' }).click();
await (await chooser).setFiles(join(ROOT, 'docs/examples/crew.csv'));
await page.getByLabel('Keep this mapping as').fill('deck crew');
await page.getByLabel('Country of phone numbers').fill('GB');
await page.getByRole('button', { name: 'Check the rows' }).click();
await page.getByRole('heading', { name: 'What would happen' }).waitFor();
await page.getByRole('grid').waitFor();
await shoot('import');
await page.getByRole('button', { name: 'Discard' }).click();
await page.getByRole('dialog').getByRole('button', { name: 'Discard' }).click();
await page.getByRole('heading', { name: 'Bring in from a file' }).waitFor();
await page.goto(`${base}/people`);
await page.getByRole('grid').waitFor();
await page.keyboard.press('Control+k');
await page.keyboard.type('mar');
await page.getByRole('menuitem', { name: /Marlow/ }).waitFor();
await shoot('palette');
await page.goto(`${base}/people?q=tobias%20renn`);
await page.getByRole('grid').getByText('Tobias Renn').click();
await page.getByRole('heading', { name: 'Keyring' }).waitFor();
await shoot('person');
await page.setViewportSize({ width: 360, height: 800 });
await page.emulateMedia({ colorScheme: 'dark' });
await shoot('phone-dark');
await page.emulateMedia({ colorScheme: 'light' });
await page.setViewportSize({ width: 1280, height: 800 });
await page.goto(`${base}/people?q=lowenna`);
await page.getByRole('grid').getByText('Lowenna Trew').click();
await page.getByRole('button', { name: 'Enrol an authenticator app' }).click();
await page.getByRole('button', { name: 'Show the QR picture' }).click();
const key = await page
  .locator('code')
  .filter({ hasText: /^([A-Z2-7]{4} ){7}/ })
  .textContent();
await shoot('enrol');
await page.getByRole('button', { name: 'Prove it later' }).click();
await page.goto(`${base}/applications`);
await page.getByRole('grid').getByText('Berth Planner').click();
await page.getByRole('heading', { name: 'Berth Planner' }).waitFor();
await page
  .getByRole('button', { name: /let in/ })
  .first()
  .click();
await shoot('application');
await page.goto(`${base}/walk-through`);
await page.getByLabel('Login name of the person').fill('dagny.holm');
await page.getByRole('button', { name: 'Begin', exact: true }).click();
await page.getByLabel('Password', { exact: true }).fill('harbour lights at dawn');
await page.getByRole('button', { name: 'Answer' }).click();
await page.getByText('must enrol first').waitFor();
await shoot('walk-through');
for (const [name, path] of [
  ['sign-ins', '/sign-ins'],
  ['trail', '/trail'],
]) {
  await page.goto(base + path);
  await page.getByRole('grid').waitFor();
  await shoot(name);
}
await page.goto(`${base}/administrators`);
await page.getByRole('heading', { name: 'Who may do what' }).waitFor();
await shoot('administrators');
await page.goto(`${base}/settings`);
await page.getByRole('heading', { name: 'This installation' }).waitFor();
await shoot('settings');
await page.emulateMedia({ colorScheme: 'dark' });
await page.evaluate(() => globalThis.localStorage.setItem('nimble-latch.language', 'de'));
await page.goto(base);
await page.getByRole('heading', { name: 'Überblick' }).waitFor();
await shoot('overview-dark-german');
await page.evaluate(() => globalThis.localStorage.removeItem('nimble-latch.language'));
await page.emulateMedia({ colorScheme: 'light' });
await page.goto(phone);
await page
  .getByLabel('Text of the QR picture')
  .fill(`otpauth://totp/Port%20of%20Wexmoor:lowenna.trew?secret=${key.replaceAll(' ', '')}&issuer=Port%20of%20Wexmoor`);
await page.getByRole('button', { name: 'Add to this phone' }).click();
await page.locator('.code').first().waitFor();
await shoot('stand-in-phone');
await browser.close();

/** A terminal window with commands in it, as somebody would see it. */
async function terminal(name, lines) {
  const display = ':97';
  const ready = join(demo, 'ready');
  rmSync(ready, { force: true });
  const x = spawn('Xvfb', [display, '-screen', '0', '1280x800x24', '-nolisten', 'tcp'], { stdio: 'ignore' });
  await delay(1000);
  const script = lines
    .map(
      (line) =>
        `printf '\\033[1;32m$\\033[0m ${line}\\n'; ${line.replace(/^nlatch/, `${demo}/nlatch`)} </dev/null; echo`,
    )
    .join('; ');
  const window = spawn(
    'xterm',
    [
      '-fa',
      'DejaVu Sans Mono',
      '-fs',
      '11',
      '-geometry',
      '136x44+0+0',
      '-b',
      '8',
      '-bw',
      '0',
      '-bg',
      '#10182a',
      '-fg',
      '#e8ebf2',
      '+sb',
      '-e',
      'bash',
      '-c',
      `cd '${ROOT}'; ${script}; touch '${ready}'; sleep 60`,
    ],
    { env: { ...process.env, DISPLAY: display }, stdio: 'ignore' },
  );
  for (let i = 0; i < 200 && !existsSync(ready); i++) await delay(100);
  await delay(500);
  spawnSync('import', ['-window', 'root', join(out, `${name}.png`)], { env: { ...process.env, DISPLAY: display } });
  window.kill();
  x.kill();
  rmSync(ready, { force: true });
  await delay(300);
}

const { rows } = await nlatch('activity', 'list', '--state', 'refused', '--limit', '1');
await terminal('cli-person', ['nlatch person list --limit 12', 'nlatch person show bram.oster', 'nlatch overview']);
await terminal('cli-enrol', ['nlatch keyring enrol-totp kit.marrable --later']);
await terminal('cli-activity', ['nlatch activity list --limit 12', `nlatch activity show ${rows[0].id}`]);
await terminal('cli-import', [`nlatch import people ${join('docs/examples', 'crew.csv')} --country GB --dry-run`]);
process.stdout.write(`Made the pictures in ${out}\n`);

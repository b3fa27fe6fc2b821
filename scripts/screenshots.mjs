/**
 * Makes docs/screenshots from the demo data: `node scripts/screenshots.mjs` beside a demo that runs (scripts/demo).
 * Pages through headless Chromium, the client in a terminal window under Xvfb.
 */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { chromium } from 'playwright-core';
import { ROOT } from './lib/installation.mjs';

const out = join(ROOT, 'docs/screenshots');
const demo = join(ROOT, '.run/demo');
mkdirSync(out, { recursive: true });
const { server: base } = JSON.parse(readFileSync(join(demo, 'cli/access.json'), 'utf8'));

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
const { phone: standIn } = JSON.parse(readFileSync(join(demo, 'addresses.json'), 'utf8'));
const codes = await (await fetch(`${standIn}/codes`)).json();
const { code } = codes.find(({ name }) => name === 'ines.marlow');
await page.getByLabel(/^Code/).fill(code);
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
await page.goto(`${base}/people?q=amina%20stark`);
await page.getByRole('grid').getByText('Amina Stark').click();
await page.getByRole('heading', { name: 'Keyring' }).waitFor();
await shoot('person');
await page.setViewportSize({ width: 360, height: 800 });
await page.emulateMedia({ colorScheme: 'dark' });
// The desk's most frequent errand, on a phone at night.
await page.getByRole('button', { name: 'Give a pass' }).click();
await page.getByRole('button', { name: 'Give it' }).click();
await page.getByText('Read aloud').waitFor();
await page.getByText('With it they get in at').waitFor();
await shoot('phone-dark');
await page.getByRole('button', { name: 'I have kept it' }).click();
await page.emulateMedia({ colorScheme: 'light' });
await page.setViewportSize({ width: 1280, height: 800 });
await page.goto(`${base}/people?q=lowenna`);
await page.getByRole('grid').getByText('Lowenna Trew').click();
await page.getByRole('button', { name: 'Enrol an authenticator app' }).click();
await page.getByRole('button', { name: 'Show the QR picture' }).click();
await page.locator('code').first().waitFor();
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
await page.goto(`${base}/stock`);
await page.getByRole('grid').first().waitFor();
await shoot('stock');
await page.goto(`${base}/invitations`);
await page.getByRole('grid').first().waitFor();
await shoot('invitations');
await page.goto(`${base}/sign-ins`);
await page.getByRole('grid').waitFor();
await shoot('sign-ins');
await page.goto(`${base}/rulebook`);
await page.getByRole('heading', { name: 'Rules in force' }).waitFor();
await shoot('rulebook');
await page.goto(`${base}/rulebook/draft`);
await page.getByRole('heading', { name: 'Whom it locks out' }).waitFor();
await shoot('rulebook-draft');
await page.goto(`${base}/explain`);
await page.getByLabel('Login name').fill('yara.duarte');
await page.getByRole('button', { name: /Application/ }).click();
await page.getByRole('option', { name: 'Payroll' }).click();
await page.getByRole('button', { name: 'Explain it' }).click();
await page.getByRole('heading', { name: /Yara Duarte/ }).waitFor();
await shoot('explain');
// An application that sends people to our pages: after the password, somebody's phone is asked; both side by side.
const client = (...args) => {
  const { status, stdout, stderr } = spawnSync(join(demo, 'nlatch'), args, { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return stdout;
};
const { link, authenticator } = JSON.parse(client('keyring', 'enrol-phone', 'yara.duarte', '--later', '--json'));
const pocket = await browser.newContext({ viewport: { width: 360, height: 800 }, locale: 'en-GB' });
const phone = await pocket.newPage();
await phone.goto(link);
await phone.getByRole('button', { name: 'Set it up' }).click();
await phone.getByRole('button', { name: 'Approve' }).click();
await phone.getByText('This phone is set up.').waitFor();
client('keyring', 'prove-phone', authenticator.id);
const { address: planner } = JSON.parse(readFileSync(join(demo, 'berth-planner.json'), 'utf8'));
const visitor = await browser.newContext({ viewport: { width: 920, height: 800 } });
const signIn = await visitor.newPage();
await signIn.goto(planner);
await signIn.getByRole('link', { name: 'Sign in' }).click();
await signIn.getByLabel('Login name').fill('yara.duarte');
await signIn.keyboard.press('Enter');
await signIn.getByLabel('Password').fill('harbour lights at dawn');
await signIn.keyboard.press('Enter');
await signIn.getByRole('button', { name: /Approval on a phone/ }).click();
const number = /\d\d/.exec(await signIn.locator('code').innerText())[0];
await phone.getByLabel('The number that is shown').fill(number);
await delay(400);
const [left, right] = [join(demo, 'left.png'), join(demo, 'right.png')];
await signIn.screenshot({ path: left });
await phone.screenshot({ path: right });
spawnSync('convert', [left, right, '+append', join(out, 'sign-in.png')]);
await Promise.all([visitor.close(), pocket.close()]);
await page.goto(`${base}/methods`);
await page.getByRole('heading', { name: 'Methods' }).waitFor();
await page.getByRole('button', { name: 'Add a row for a group' }).click();
await page.getByRole('dialog').getByRole('button', { name: 'Add a row for a group' }).click();
await shoot('methods');
await page.goto(`${base}/disputes`);
await page.getByRole('grid').waitFor();
await shoot('disputes');
await page.emulateMedia({ colorScheme: 'dark' });
await page.evaluate(() => globalThis.localStorage.setItem('nimble-latch.language', 'de'));
await page.goto(`${base}/figures`);
await page.locator('.recharts-bar').nth(3).waitFor();
await shoot('figures-dark-german');
await page.evaluate(() => globalThis.localStorage.removeItem('nimble-latch.language'));
await page.emulateMedia({ colorScheme: 'light' });
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
      '140x41+0+0',
      '-b',
      '10',
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

await terminal('cli-person', ['nlatch person list --limit 6', 'nlatch person show bram.oster', 'nlatch overview']);
await terminal('cli-rulebook', ['nlatch rulebook versions', 'nlatch explain yara.duarte --at Payroll']);
process.stdout.write(`Made the pictures in ${out}\n`);

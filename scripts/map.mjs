/**
 * Writes the map of areas into docs/architecture.md and draws docs/architecture.svg, from the descriptions and folders in the code:
 * `node scripts/map.mjs`. With `--check` it writes nothing and fails where either is not as the code is.
 */
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { format, resolveConfig } from 'prettier';
import { ROOT } from './lib/installation.mjs';
import { drawArchitecture } from './lib/picture.mjs';

const folders = (path) =>
  readdirSync(join(ROOT, path), { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => name);
/** What the first sentence of a description says. */
const saysOf = (path) => /\/\*\* (.*?) \*\/\nexport const/s.exec(readFileSync(join(ROOT, path), 'utf8'))?.[1] ?? '';
const link = (path, name) => (existsSync(join(ROOT, path)) ? `[${name}](../${path})` : '');

const service = 'packages/service/src';
const row = (cells) => `| ${cells.join(' | ')} |`;
const areas = folders(`${service}/areas`);
const rows = areas.map((area) => {
  const said = saysOf(`${service}/areas/${area}/area.ts`);
  return row([
    link(`${service}/areas/${area}`, area),
    said,
    link(`packages/api/src/routes/${area}.ts`, 'calls'),
    link(`packages/console/src/areas/${area}`, 'pages'),
    link(`packages/core/src/${area}`, 'rules'),
  ]);
});
const connections = folders(`${service}/connections`).map((kind) =>
  row([
    link(`${service}/connections/${kind}`, kind),
    saysOf(`${service}/connections/${kind}/area.ts`),
    link(`packages/api/src/routes/connections/${kind}.ts`, 'parameters'),
    '',
    link(`packages/core/src/connections/kinds/${kind}.ts`, 'what it can do'),
  ]),
);
const table = [
  '| Area | What it is about | api | console | core |',
  '| --- | --- | --- | --- | --- |',
  ...rows,
  ...connections,
].join('\n');

const [from, to] = ['<!-- map: written by scripts/map.mjs -->', '<!-- end of the map -->'];
const path = join(ROOT, 'docs/architecture.md');
const page = readFileSync(path, 'utf8');
const [before, rest] = page.split(from);
const after = rest.split(to)[1];
/** Without what the formatter of the page adds. */
const bare = (text) => text.replace(/ +\|/g, ' |').replace(/\| +/g, '| ').replace(/-{3,}/g, '---').trim();
const stands = rest.split(to)[0];

const picture = join(ROOT, 'docs/architecture.svg');
const drawing = drawArchitecture({
  console: folders('packages/console/src/areas'),
  connections: folders(`${service}/connections`),
  areas,
  platform: folders(`${service}/platform`),
  core: folders('packages/core/src'),
});
if (process.argv.includes('--check')) {
  const asDrawn = existsSync(picture) && readFileSync(picture, 'utf8') === drawing;
  if (bare(stands) !== bare(table) || !asDrawn) {
    console.error('docs/architecture: the map or the picture is not as the code is; run node scripts/map.mjs');
    process.exit(1);
  }
} else {
  const made = `${before}${from}\n\n${table}\n\n${to}${after}`;
  writeFileSync(path, await format(made, { ...(await resolveConfig(path)), filepath: path }));
  writeFileSync(picture, drawing);
}

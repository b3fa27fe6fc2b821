/** Draws what the code is made of as an SVG: who asks above, the storeys of the service below each other, the computation beside them. */

const [WIDTH, EDGE, GAP, LINE] = [1040, 24, 14, 20];

const escape = (text) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;');

/** Names as chips in as many rows as a width takes. */
function chips(names, x, y, width) {
  const drawn = [];
  let [at, row] = [x, 0];
  for (const name of names) {
    const wide = name.length * 7.2 + 18;
    if (at + wide > x + width) [at, row] = [x, row + 1];
    drawn.push(
      `<rect class="chip" x="${at}" y="${y + row * 30}" width="${wide}" height="24" rx="5"/>` +
        `<text class="name" x="${at + 9}" y="${y + row * 30 + 16}">${escape(name)}</text>`,
    );
    at += wide + 8;
  }
  return { drawn: drawn.join('\n'), height: (row + 1) * 30 };
}

/** A box with a title, a sentence, and what is in it. */
function box({ x, y, width, title, says, names }) {
  const inner = chips(names, x + 14, y + 52, width - 28);
  const height = names.length > 0 ? 62 + inner.height : 56;
  const svg =
    `<rect class="box" x="${x}" y="${y}" width="${width}" height="${height}" rx="8"/>` +
    `<text class="title" x="${x + 14}" y="${y + 24}">${escape(title)}</text>` +
    `<text class="says" x="${x + 14}" y="${y + 24 + LINE}">${escape(says)}</text>\n${names.length > 0 ? inner.drawn : ''}`;
  return { svg, height };
}

const arrow = (x, from, to) => `<path class="arrow" d="M${x} ${from} V${to - 2}" marker-end="url(#to)"/>`;

/**
 * @param parts `{ console, areas, connections, platform, core }`: names of their folders
 * @returns the picture as text
 */
export function drawArchitecture(parts) {
  const drawn = [];
  const side = 250;
  const left = WIDTH - 2 * EDGE - side - 2 * GAP;
  let y = EDGE;
  const across = (what) => {
    const one = box({ x: EDGE, y, width: WIDTH - 2 * EDGE, ...what });
    drawn.push(one.svg);
    y += one.height;
  };
  const down = () => {
    drawn.push(arrow(EDGE + left / 2, y, y + 26));
    y += 26;
  };
  across({
    title: 'Who asks',
    says: 'the console (React), nlatch (command line), applications over HTTP or OpenID Connect; areas of the console:',
    names: parts.console,
  });
  down();
  across({ title: 'api', says: 'the contract: calls, schemas, errors, sentences; the typed client', names: [] });
  down();
  const top = y;
  const storey = (title, says, names) => {
    const one = box({ x: EDGE, y, width: left, title, says, names });
    drawn.push(one.svg);
    y += one.height + GAP;
  };
  storey('service: host', 'start, chores, demo; lists what the service is made of', []);
  storey('service: connections', 'how others ask; none knows another', parts.connections);
  storey('service: areas', 'a folder each, with its tables, calls, work and rounds', parts.areas);
  storey('service: platform', 'knows no area', parts.platform);
  y -= GAP;
  const core = box({
    x: EDGE + left + 2 * GAP,
    y: top,
    width: side,
    title: 'core',
    says: 'the computation: no I/O, no clock',
    names: parts.core,
  });
  drawn.push(core.svg);
  drawn.push(
    `<path class="arrow" d="M${EDGE + left} ${top + 28} H${EDGE + left + 2 * GAP - 2}" marker-end="url(#to)"/>`,
  );
  down();
  across({ title: 'MariaDB', says: 'records; nothing that a node needs is kept anywhere else', names: [] });
  const height = Math.max(y, top + core.height) + EDGE;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height}" width="${WIDTH}" height="${height}" role="img" aria-label="Packages and storeys; imports follow the arrows">
<style>
svg { background: #fbfaf7; font-family: system-ui, sans-serif; }
.box { fill: #ffffff; stroke: #4a5a66; stroke-width: 1.2; }
.chip { fill: #e8eef1; }
.title { font-size: 15px; font-weight: 700; fill: #17242c; }
.says { font-size: 13px; fill: #4a5a66; }
.name { font-size: 12px; fill: #17242c; font-family: ui-monospace, monospace; }
.arrow { stroke: #4a5a66; stroke-width: 1.5; fill: none; }
.head { fill: #4a5a66; }
@media (prefers-color-scheme: dark) {
svg { background: #10181d; } .box { fill: #18232a; stroke: #8fa3b0; } .chip { fill: #26353e; } .title, .name { fill: #e9eff2; }
.says { fill: #b3c2cb; } .arrow { stroke: #8fa3b0; } .head { fill: #8fa3b0; }
}
</style>
<defs><marker id="to" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" markerHeight="8" orient="auto"><path class="head" d="M0 0 L8 4 L0 8 Z"/></marker></defs>
${drawn.join('\n')}
</svg>
`;
}

/** The drawer's page: no inline script or style, so that it lives under the same strict policy as the product. */
export const PAGE = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Stand-in fobs</title><link rel="stylesheet" href="/fob.css"><script type="module" src="/fob.js"></script></head>
<body><main><h1>Stand-in fobs</h1><p>The hardware tokens of the demo, to try their codes. One that counts shows its next code when it is pressed.</p>
<form id="find"><label for="serial">Number on the back</label><input id="serial" autocomplete="off" spellcheck="false" placeholder="GW-2-4106"></form>
<p id="none" role="status"></p><ul id="fobs" aria-live="polite"></ul>
</main></body></html>`;

export const STYLE = `
:root { color-scheme: light dark; --ink: #14213a; --paper: #fbfaf6; --line: #c9c6b8; --sea: #0b6b5d; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6e9ef; --paper: #10182a; --line: #3a486a; --sea: #6fd0bd; } }
body { margin: 0; min-height: 100vh; display: grid; place-items: start center; font: 16px/1.5 system-ui, sans-serif;
  color: var(--ink); background: var(--paper); }
main { width: min(30rem, calc(100vw - 2rem)); margin: 1rem 0; box-sizing: border-box; }
h1 { font-size: 1.2rem; margin: 0 0 0.5rem; }
ul { list-style: none; margin: 1rem 0 0; padding: 0; }
li { display: grid; grid-template-columns: 1fr auto; gap: 0 1rem; align-items: center; padding: 0.75rem 0;
  border-top: 1px solid var(--line); }
.code { font: 1.6rem/1.2 ui-monospace, monospace; letter-spacing: 0.06em; min-height: 2rem; }
.left { font-variant-numeric: tabular-nums; }
label { display: block; margin: 0.75rem 0 0.25rem; }
input { width: 100%; box-sizing: border-box; font: inherit; color: inherit; background: transparent;
  border: 1px solid var(--line); border-radius: 0.5rem; padding: 0.5rem; }
button { font: inherit; padding: 0.5rem 1rem; border: 0; border-radius: 0.5rem; color: var(--paper); background: var(--sea); }
`;

export const SCRIPT = `
const list = document.querySelector('#fobs');
const field = document.querySelector('#serial');
const shown = new Map();
const line = (tag, text, name) => {
  const e = document.createElement(tag);
  e.textContent = text;
  if (name) e.className = name;
  return e;
};
const halves = (code) => code.slice(0, code.length / 2) + ' ' + code.slice(code.length / 2);
function row(fob) {
  const li = document.createElement('li');
  const code = fob.code ?? shown.get(fob.serial);
  li.append(line('strong', fob.serial), line('span', fob.maker));
  li.append(line('span', code ? halves(code) : '', 'code'));
  if (fob.kind === 'totp') li.append(line('span', fob.secondsLeft + ' s', 'left'));
  else {
    const press = line('button', 'Press');
    press.setAttribute('aria-label', 'Press ' + fob.serial);
    press.addEventListener('click', async () => {
      const answer = await fetch('/press', { method: 'POST', headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ serial: fob.serial }) });
      if (answer.ok) shown.set(fob.serial, (await answer.json()).code);
      await refresh();
    });
    li.append(press);
  }
  return li;
}
async function refresh() {
  const fobs = await (await fetch('/fobs?find=' + encodeURIComponent(field.value))).json();
  document.querySelector('#none').textContent = fobs.length === 0 ? 'None has this in its number.' : '';
  const focused = document.activeElement?.getAttribute('aria-label');
  list.replaceChildren(...fobs.map(row));
  if (focused) list.querySelector('[aria-label="' + focused + '"]')?.focus();
}
field.addEventListener('input', refresh);
document.querySelector('#find').addEventListener('submit', (event) => event.preventDefault());
await refresh();
setInterval(refresh, 1000);
`;

/** The phone's page: no inline script or style, so that it lives under the same strict policy as the product. */
export const PAGE = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Stand-in phone</title><link rel="stylesheet" href="/phone.css"><script type="module" src="/phone.js"></script></head>
<body><main><h1>Stand-in phone</h1><p>A simulated phone for trying things out. It forgets everything when it stops.</p>
<ul id="accounts" aria-live="off"></ul>
<form id="add"><label for="uri">Text of the QR picture, or the key</label><textarea id="uri" rows="4" spellcheck="false" autocomplete="off" placeholder="otpauth://totp/…"></textarea>
<p id="problem" role="alert"></p><button>Add to this phone</button></form>
<form id="drift"><label for="off">Clock of the phone is off by (seconds)</label><input id="off" type="number" value="0" step="30"></form>
</main></body></html>`;

export const STYLE = `
:root { color-scheme: light dark; --ink: #14213a; --paper: #fbfaf6; --line: #c9c6b8; --sea: #0b6b5d; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6e9ef; --paper: #10182a; --line: #3a486a; --sea: #6fd0bd; } }
body { margin: 0; min-height: 100vh; display: grid; place-items: start center; font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); }
main { width: min(24rem, calc(100vw - 2rem)); margin: 1rem 0; padding: 1.5rem; border: 2px solid var(--line); border-radius: 1.75rem; box-sizing: border-box; }
h1 { font-size: 1.2rem; margin: 0 0 0.5rem; }
ul { list-style: none; margin: 0; padding: 0; }
li { padding: 0.75rem 0; border-top: 1px solid var(--line); }
.code { font: 2rem/1.2 ui-monospace, monospace; letter-spacing: 0.06em; display: block; }
.left { font-variant-numeric: tabular-nums; }
label { display: block; margin: 0.75rem 0 0.25rem; }
textarea, input { width: 100%; box-sizing: border-box; font: inherit; color: inherit; background: transparent; border: 1px solid var(--line); border-radius: 0.5rem; padding: 0.5rem; }
button { font: inherit; margin-top: 0.75rem; padding: 0.6rem 1rem; border: 0; border-radius: 0.5rem; color: var(--paper); background: var(--sea); }
#problem:empty { display: none; }
`;

export const SCRIPT = `
const list = document.querySelector('#accounts');
const problem = document.querySelector('#problem');
const line = (tag, text, name) => { const e = document.createElement(tag); e.textContent = text; if (name) e.className = name; return e; };
async function refresh() {
  const accounts = await (await fetch('/codes')).json();
  list.replaceChildren(...accounts.map((a) => { const li = document.createElement('li');
    li.append(line('strong', a.issuer), line('span', ' ' + a.name), line('span', a.code.slice(0, a.code.length / 2) + ' ' + a.code.slice(a.code.length / 2), 'code'), line('span', a.secondsLeft + ' s', 'left'));
    return li; }));
}
async function send(path, body) {
  const answer = await fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
  problem.textContent = answer.ok ? '' : (await answer.json()).problem;
  if (answer.ok) await refresh();
  return answer.ok;
}
document.querySelector('#add').addEventListener('submit', async (event) => { event.preventDefault(); const uri = document.querySelector('#uri'); if (await send('/accounts', { uri: uri.value })) uri.value = ''; });
document.querySelector('#drift').addEventListener('change', () => send('/clock', { offSeconds: Number(document.querySelector('#off').value) }));
document.querySelector('#drift').addEventListener('submit', (event) => event.preventDefault());
await refresh();
setInterval(refresh, 1000);
`;

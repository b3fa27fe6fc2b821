/** The mailbox's page: no inline script or style, and letters are shown as text alone. */
export const PAGE = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Stand-in mailbox</title><link rel="stylesheet" href="/mailbox.css"><script type="module" src="/mailbox.js"></script></head>
<body><main><h1>Stand-in mailbox</h1><p>Everything that Nimble Latch sends by mail ends here. It forgets all of it when it stops.</p>
<label for="to">To</label><select id="to"><option value="">everybody</option></select>
<p id="none">No letter has come yet.</p><ol id="letters" aria-live="polite"></ol></main></body></html>`;

export const STYLE = `
:root { color-scheme: light dark; --ink: #14213a; --soft: #4c5a78; --paper: #fbfaf6; --line: #c9c6b8; --sea: #0b6b5d; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6e9ef; --soft: #a9b4cc; --paper: #10182a; --line: #3a486a; --sea: #6fd0bd; } }
body { margin: 0; font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); }
main { width: min(44rem, calc(100vw - 2rem)); margin: 1rem auto; }
h1 { font-size: 1.4rem; margin: 0 0 0.5rem; }
select { font: inherit; color: inherit; background: var(--paper); border: 1px solid var(--line); border-radius: 0.4rem; padding: 0.4rem; max-width: 100%; }
label { margin-right: 0.5rem; }
ol { list-style: none; margin: 1rem 0; padding: 0; }
li { border-top: 1px solid var(--line); padding: 1rem 0; }
h2 { font-size: 1.05rem; margin: 0; }
.about { color: var(--soft); font-size: 0.9rem; }
pre { font: inherit; white-space: pre-wrap; overflow-wrap: anywhere; margin: 0.5rem 0 0; }
a { color: var(--sea); }
`;

export const SCRIPT = `
const list = document.querySelector('#letters');
const none = document.querySelector('#none');
const to = document.querySelector('#to');
const made = (tag, text, name) => { const e = document.createElement(tag); e.textContent = text; if (name) e.className = name; return e; };
function readable(text) {
  const pre = document.createElement('pre');
  let last = 0;
  for (const match of text.matchAll(/https?:\\/\\/[^\\s<>"']+[^\\s<>"'.,;:!?)]/g)) {
    const link = made('a', match[0]);
    link.href = match[0];
    link.rel = 'noreferrer';
    pre.append(text.slice(last, match.index), link);
    last = match.index + match[0].length;
  }
  pre.append(text.slice(last));
  return pre;
}
let seen = '';
async function refresh() {
  const all = await (await fetch('/letters')).json();
  const now = to.value + ' ' + all.length + ' ' + (all[0]?.number ?? 0);
  if (now === seen) return;
  seen = now;
  const addresses = [...new Set(all.flatMap((letter) => letter.to))].sort();
  const chosen = to.value;
  to.replaceChildren(...['', ...addresses].map((address) => { const option = made('option', address || 'everybody'); option.value = address; return option; }));
  to.value = chosen;
  const shown = all.filter((letter) => chosen === '' || letter.to.includes(chosen));
  none.hidden = shown.length > 0;
  list.replaceChildren(...shown.map((letter) => { const li = document.createElement('li');
    li.append(made('h2', letter.subject), made('span', 'to ' + letter.to.join(', ') + ', ' + new Date(letter.at).toLocaleString(), 'about'), readable(letter.text));
    return li; }));
}
to.addEventListener('change', refresh);
await refresh();
setInterval(refresh, 1000);
`;

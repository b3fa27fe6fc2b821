/** The page of phones that approve: no inline script or style, so that it lives under the same strict policy as the product. */
export const PAGE = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Stand-in phones that approve</title><link rel="stylesheet" href="/pocket.css"><script type="module" src="/pocket.js"></script></head>
<body><main><h1>Phones that approve</h1><p>Simulated phones for trying things out, each of one person. What they are asked appears here.</p>
<div id="phones" aria-live="polite"></div>
<form id="add"><label for="link">Link of a phone that is to be set up</label><input id="link" spellcheck="false" autocomplete="off" placeholder="http://…/pocket/#…">
<p id="problem" role="alert"></p><button>Set it up here</button></form>
</main></body></html>`;

export const STYLE = `
:root { color-scheme: light dark; --ink: light-dark(#14213a, #e6e9ef); --soft: light-dark(#4a5672, #a9b3c8); --paper: light-dark(#fbfaf6, #10182a); --line: light-dark(#c9c6b8, #3a486a); --sea: light-dark(#0b6b5d, #6fd0bd); --coral: light-dark(#a3262a, #ff9d94); }
body { margin: 0; font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); }
main { max-width: 72rem; margin: 0 auto; padding: 1.5rem 1rem; }
h1 { font-size: 1.4rem; margin: 0 0 0.5rem; }
#phones { display: grid; grid-template-columns: repeat(auto-fill, minmax(17rem, 1fr)); gap: 1rem; margin: 1.5rem 0; }
article { border: 2px solid var(--line); border-radius: 1.5rem; padding: 1.25rem; box-sizing: border-box; min-height: 12rem; }
article.asked { border-color: var(--sea); }
h2 { font-size: 1.1rem; margin: 0; }
.soft { color: var(--soft); margin: 0.25rem 0 0.75rem; }
label { display: block; margin: 0.75rem 0 0.25rem; }
input, select { width: 100%; box-sizing: border-box; font: inherit; color: inherit; background: transparent; border: 1px solid var(--line); border-radius: 0.5rem; padding: 0.5rem; }
select option { color: initial; }
.number { display: block; width: 5rem; margin-top: 0.25rem; font: 1.5rem ui-monospace, monospace; text-align: center; }
button { font: inherit; margin: 0.75rem 0.5rem 0.5rem 0; padding: 0.5rem 0.9rem; border: 1px solid var(--line); border-radius: 0.5rem; color: inherit; background: transparent; }
button.main, #add button { border-color: var(--sea); color: var(--paper); background: var(--sea); }
button.danger { color: var(--coral); border-color: var(--coral); }
form { max-width: 40rem; }
#problem:empty { display: none; }
`;

export const SCRIPT = `
const SAYS = { taken: 'Done.', 'wrong-number': 'That is not the number.', locked: 'It wants a screen lock, which this page has none of.', 'same-browser': 'It was begun in this browser.', over: 'It is over.' };
const HABITS = { 'by-hand': 'answered here', approves: 'approves by itself if no number', away: 'is switched off' };
const list = document.querySelector('#phones');
const problem = document.querySelector('#problem');
const said = new Map();
const make = (tag, text, name) => { const e = document.createElement(tag); if (text !== undefined) e.textContent = text; if (name) e.className = name; return e; };
const send = async (method, path, body) => {
  const answer = await fetch(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
  return [answer.ok, await answer.json()];
};
function question(phone, request) {
  const box = make('div');
  const from = [request.network, request.browser].filter(Boolean).join(', ');
  box.append(make('p', request.kind === 'test' ? 'A test: does this phone answer?' : 'Is it you who signs in at ' + (request.application ?? 'somewhere') + (from ? ', from ' + from : '') + '?'));
  let number;
  if (request.asksNumber) {
    const label = make('label', 'The number that is shown there');
    number = make('input', undefined, 'number');
    number.inputMode = 'numeric'; number.maxLength = 2; number.autocomplete = 'off';
    label.append(number); box.append(label);
  }
  const answer = async (decision) => {
    const [ok, body] = await send('POST', '/phones/' + phone.device + '/answers', { request: request.id, decision, number: number?.value });
    said.set(phone.device, ok ? (decision === 'approve' ? SAYS[body.outcome] : 'Denied.') : body.problem);
    await refresh(true);
  };
  for (const [decision, text, name] of [['approve', 'Approve', 'main'], ['deny', 'Deny', ''], ['not-me', 'It was not me', 'danger']]) {
    const button = make('button', text, name); button.type = 'button';
    button.addEventListener('click', () => answer(decision)); box.append(button);
  }
  return box;
}
function card(phone) {
  const one = make('article', undefined, phone.requests.length > 0 ? 'asked' : '');
  one.dataset.device = phone.device;
  one.append(make('h2', phone.person), make('p', phone.organisation, 'soft'));
  const [request] = phone.requests;
  const status = make('p', phone.trouble ? 'Not heard: ' + phone.trouble : (said.get(phone.device) ?? (request ? '' : 'Nothing waits.')));
  if (status.textContent) { status.setAttribute('role', 'status'); one.append(status); }
  if (request) one.append(question(phone, request));
  if (phone.code) one.append(make('p', 'Code without a network: ' + phone.code, 'soft'));
  const label = make('label', 'This phone');
  const select = make('select');
  for (const [habit, text] of Object.entries(HABITS)) { const option = make('option', text); option.value = habit; option.selected = habit === phone.habit; select.append(option); }
  select.addEventListener('change', () => send('PUT', '/phones/' + phone.device + '/habit', { habit: select.value }));
  label.append(select); one.append(label);
  return one;
}
const drawn = new Map();
async function refresh(again) {
  const phones = await (await fetch('/phones')).json();
  for (const phone of phones) {
    // Drawn anew only where something changed: somebody may be typing.
    const key = JSON.stringify([phone.requests.map((r) => r.id), phone.trouble, phone.habit, phone.requests.length === 0 && phone.code]);
    if (!again && drawn.get(phone.device) === key) continue;
    if (drawn.get(phone.device) !== key && phone.requests.length > 0) said.delete(phone.device);
    drawn.set(phone.device, key);
    const before = list.querySelector('[data-device="' + phone.device + '"]');
    if (before) before.replaceWith(card(phone)); else list.append(card(phone));
  }
}
document.querySelector('#add').addEventListener('submit', async (event) => {
  event.preventDefault();
  const link = document.querySelector('#link');
  const [ok, body] = await send('POST', '/phones', { link: link.value });
  problem.textContent = ok ? '' : body.problem;
  if (ok) { link.value = ''; await refresh(true); }
});
await refresh(true);
setInterval(() => refresh(false).catch(() => undefined), 700);
`;

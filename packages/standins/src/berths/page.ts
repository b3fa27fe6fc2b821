/** The planner's pages: plain HTML, no script. */

const ESCAPES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};
const escape = (text: string): string => text.replace(/[&<>"']/g, (c) => ESCAPES[c]!);

const STYLE = `
:root { color-scheme: light dark; --ink: #1d2a23; --paper: #f4f6f1; --line: #b9c4b6; --go: #8a3b12; }
@media (prefers-color-scheme: dark) { :root { --ink: #e3eae1; --paper: #172019; --line: #47584a; --go: #f0a273; } }
body { margin: 0; font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); }
main { max-width: 46rem; margin: 0 auto; padding: 2rem 1rem; }
table { width: 100%; border-collapse: collapse; margin: 1rem 0; }
th, td { text-align: left; padding: 0.4rem 0.5rem; border-bottom: 1px solid var(--line); }
form { display: grid; gap: 0.5rem; max-width: 22rem; margin: 1rem 0 2rem; }
input { font: inherit; color: inherit; background: transparent; border: 1px solid var(--line); padding: 0.5rem; }
button, .button { font: inherit; display: inline-block; padding: 0.5rem 1rem; border: 2px solid var(--go); color: var(--go); background: none; text-decoration: none; cursor: pointer; justify-self: start; }
[hidden] { display: none !important; }
[role=alert] { border-left: 4px solid var(--go); padding: 0.5rem 1rem; }
dl { display: grid; grid-template-columns: max-content 1fr; gap: 0.2rem 1rem; } dd { margin: 0; overflow-wrap: anywhere; }
`;
export { STYLE };

const page = (body: string): string =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Berth Planner</title><link rel="stylesheet" href="/planner.css"></head><body><main><h1>Berth Planner</h1>${body}</main></body></html>`;

/** Before anybody has signed in. */
export const doorPage = (trouble: string | undefined, secondStep: boolean): string =>
  page(`${trouble === undefined ? '' : `<p role="alert">${escape(trouble)}</p>`}
<p>A stand-in for an application of the port: who lies where, and when.</p>
<p><a class="button" href="/sign-in">Sign in</a></p>
${
  secondStep
    ? `<h2>By the planner’s own password</h2>
<p>As an older system does that has passwords of its own and needs only the second step. Here everybody’s is <code>tide tables</code>.</p>
<form method="post" action="/own-password"><label for="name">Login name</label><input id="name" name="name" autocomplete="username" required>
<label for="password">Password</label><input id="password" name="password" type="password" autocomplete="current-password" required>
<button>Sign in</button></form>`
    : ''
}`);

const BERTHS = [
  ['1 North', 'MV Corriganmoor', 'until Thursday'],
  ['2 North', 'free', ''],
  ['1 South', 'Tern of Aske', 'until tomorrow, 06:00'],
  ['Tanker quay', 'Lowland Star', 'pilot ordered'],
];

/** What somebody sees who was let in. */
export const planPage = (person: { name: string; facts: readonly (readonly [string, string])[] }): string =>
  page(`<p>Signed in: <strong>${escape(person.name)}</strong> <a href="/sign-out">Sign out</a></p>
<table><caption>Today</caption><thead><tr><th>Berth</th><th>Vessel</th><th>How long</th></tr></thead><tbody>
${BERTHS.map((row) => `<tr>${row.map((cell) => `<td>${cell}</td>`).join('')}</tr>`).join('\n')}</tbody></table>
<h2>What the ID token said</h2><dl>${person.facts.map(([name, value]) => `<dt>${escape(name)}</dt><dd>${escape(value)}</dd>`).join('')}</dl>`);

import { STYLE } from '../berths/page.js';

/** The page of Vessel Traffic: everything of a sign-in on a page of its own, by what browsers bring along. */
export { STYLE };

export const PAGE = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Vessel Traffic</title><link rel="stylesheet" href="/traffic.css"><script type="module" src="/traffic.js"></script></head>
<body><main><h1>Vessel Traffic</h1><p>A stand-in for an application of the port that asks on its own pages: radar and radio log of the tower.</p>
<p role="alert" id="trouble" hidden></p>
<form id="who"><label for="name">Login name</label><input id="name" autocomplete="username webauthn" required>
<button>Next</button><button type="button" id="passkey">Sign in with a passkey</button></form>
<form id="typed" hidden><label for="value" id="ask"></label><input id="value" required><button>Next</button></form>
<div id="key" hidden><p>Take your security key out, or the device that your passkey is on.</p><button id="use">Use the passkey or key</button></div>
<p id="others"></p><p role="status" id="done" hidden></p></main></body></html>`;

/** Runs in the browser. No package is needed: the options and answers have the specification's own JSON forms. */
export const SCRIPT = `
const at = (id) => document.getElementById(id);
const send = async (path, body) => {
  const answer = await fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body ?? {}) });
  const json = await answer.json();
  if (!answer.ok) throw new Error(json.title);
  return json;
};
const answerOf = async (publicKey, how = {}) =>
  (await navigator.credentials.get({ ...how, publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey) })).toJSON();
let beneath;

/** Shows what is asked next, or that it is done. */
function show(signIn) {
  const { state, prompt, reason, person, way, enrolAt } = signIn;
  for (const id of ['who', 'typed', 'key', 'done']) at(id).hidden = true;
  at('trouble').hidden = reason === null || state === 'let-in';
  at('trouble').textContent = state === 'asking' ? 'That was not right. Try again.' : 'Not signed in: ' + reason;
  at('others').replaceChildren();
  if (enrolAt) {
    const link = document.createElement('a');
    link.href = enrolAt + '&back=' + encodeURIComponent(location.href);
    link.textContent = 'Set up what is asked for';
    at('others').append(link);
  }
  if (state === 'let-in') {
    at('done').hidden = false;
    at('done').textContent = 'Signed in: ' + person.displayName + ' by ' + way;
  } else if (state === 'asking') {
    at(prompt.kind === 'webauthn' ? 'key' : 'typed').hidden = false;
    at('ask').textContent = prompt.kind === 'password' ? 'Password' : 'Code';
    at('value').type = prompt.kind === 'password' ? 'password' : 'text';
    at('value').value = '';
    at('use').onclick = () => step(async () => ({ kind: 'webauthn', credential: await answerOf(prompt.publicKey) }));
    at('typed').onsubmit = (event) => {
      event.preventDefault();
      void step(async () => ({ kind: prompt.kind, value: at('value').value }));
    };
    for (const other of prompt.others) {
      const button = document.createElement('button');
      button.textContent = 'Use another way: ' + other.methods[0];
      button.onclick = () => step(async () => ({ kind: 'choose', value: other.methods[0] }));
      at('others').append(button);
    }
  }
}
async function tried(what) {
  try { show(await what()); } catch (error) {
    at('trouble').hidden = false;
    at('trouble').textContent = error instanceof DOMException ? 'Nothing came from a key.' : error.message;
  }
}
const step = (proof) => tried(async () => send('/answer', await proof()));

at('who').onsubmit = (event) => {
  event.preventDefault();
  beneath?.abort();
  void tried(() => send('/begin', { loginName: at('name').value }));
};
/** Whoever it is: a key says so. */
const byKey = (how) => tried(async () => {
  const { offer } = await send('/offer');
  return send('/begin', { byKey: { ceremony: offer.ceremony, credential: await answerOf(offer.publicKey, how) } });
});
at('passkey').onclick = () => { beneath?.abort(); void byKey(); };
if (await window.PublicKeyCredential?.isConditionalMediationAvailable?.()) {
  beneath = new AbortController();
  const { signal } = beneath;
  const { offer } = await send('/offer');
  if (offer)
    answerOf(offer.publicKey, { mediation: 'conditional', signal }).then(
      (credential) => tried(() => send('/begin', { byKey: { ceremony: offer.ceremony, credential } })),
      () => undefined,
    );
}
`;

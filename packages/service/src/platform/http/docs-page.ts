import { API_BASE, catalogue, ERRORS, ROUTES, type RouteId, type RouteSpec } from '@nimble-latch/api';
import {
  accessSentence,
  CLAIM_FORMS,
  errorsOf,
  EXAMPLES,
  PERSON_FORMS,
  PROMPT_FORMS,
  REASON_ADVICE,
  schemaOf,
} from '@nimble-latch/api/openapi';
import type { z } from 'zod';

const escape = (text: string) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

interface Field {
  readonly type?: string | string[];
  readonly enum?: unknown[];
  readonly const?: unknown;
  readonly description?: string;
  readonly format?: string;
  readonly properties?: Readonly<Record<string, Field>>;
  readonly required?: string[];
  readonly items?: Field;
  readonly anyOf?: Field[];
  readonly oneOf?: Field[];
}

/** So many levels are told; what lies deeper is in the OpenAPI description. */
const DEEP = 4;

/** What may stand in a field, in a few words. */
function typeOf(field: Field): string {
  if (field.enum) return field.enum.map(String).join(' · ');
  if (field.const !== undefined) return JSON.stringify(field.const);
  const forms = formsOf(field);
  if (forms.length > 0) return [...new Set(forms.map(typeOf))].join(' or ');
  if (field.items) return `list of ${typeOf(field.items)}`;
  return [field.type ?? []].flat().join(' or ') || 'any';
}

const formsOf = (field: Field): readonly Field[] => field.anyOf ?? field.oneOf ?? [];

interface Line {
  readonly name: string;
  readonly must: boolean;
  readonly field: Field;
}

/** A field, and below it the fields of each form that it may have, by their path: `prompt.others[].kind`. */
function linesOf(name: string, field: Field, must: boolean, depth = 0): Line[] {
  const inner = [field, ...formsOf(field)].flatMap((form): Line[] => {
    const [of, path] = form.items ? [form.items, `${name}[]`] : [form, name];
    if (depth >= DEEP) return [];
    const held = [of, ...formsOf(of)].flatMap(({ properties = {}, required = [] }) =>
      Object.entries(properties).flatMap(([key, value]) =>
        linesOf(`${path}.${key}`, value, required.includes(key), depth + 1),
      ),
    );
    return held;
  });
  // Forms of one thing share fields: each is told once.
  const seen = new Set<string>();
  return [{ name, must, field }, ...inner].filter((line) => {
    const key = `${line.name} ${typeOf(line.field)}`;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

/** One line for each field: path, type, whether it must be there. */
function fields(schema: z.ZodType, io: 'input' | 'output'): string {
  const json = schemaOf(schema, io) as Field;
  const rows = Object.entries(json.properties ?? {})
    .flatMap(([name, field]) => linesOf(name, field, json.required?.includes(name) ?? false))
    .map(
      ({ name, must, field }) =>
        `<tr><th scope="row"><code>${escape(name)}</code>${must ? '' : ' <em>optional</em>'}</th><td>${escape(typeOf(field))}</td><td>${escape(field.description ?? '')}</td></tr>`,
    );
  if (rows.length === 0) return '';
  return `<div class="wide"><table><thead><tr><th>Field</th><th>Type</th><th>Meaning</th></tr></thead><tbody>${rows.join('')}</tbody></table></div>`;
}

const json = (value: unknown) => `<pre tabindex="0">${escape(JSON.stringify(value, null, 2))}</pre>`;

/** Calls as they are made, with what comes back. */
const examples = (id: string): string =>
  (EXAMPLES[id as RouteId] ?? [])
    .map(
      ({ title, body, answer }) =>
        `<h4>Example: ${escape(title)}</h4>${body ? json(body) : ''}${answer ? `<p class="note">is answered by</p>${json(answer)}` : ''}`,
    )
    .join('');

/** Text in which `code` stands between such signs. */
const prose = (text: string): string => escape(text).replace(/`([^`]+)`/g, '<code>$1</code>');

/** For whoever connects an application: every form that a sign-in may have. */
function integrating(): string {
  const { reasons } = catalogue('en');
  const table = (heads: readonly string[], rows: readonly (readonly string[])[]) =>
    `<div class="wide"><table><thead><tr>${heads.map((head) => `<th>${head}</th>`).join('')}</tr></thead><tbody>${rows
      .map(
        ([first, ...rest]) =>
          `<tr><th scope="row">${first}</th>${rest.map((cell) => `<td>${cell}</td>`).join('')}</tr>`,
      )
      .join('')}</tbody></table></div>`;
  const code = (text: string) => `<code>${escape(text)}</code>`;
  return `<section><h2 id="integrating">For applications</h2>
    <p>Begin a sign-in, show what it asks for, send what was answered, and go on until it says <code>let-in</code>, <code>refused</code> or <code>enrol-first</code>.</p>
    <h3 id="prompts">Prompts</h3><p>At the left as it comes, at the right what is sent.</p>${Object.entries(
      PROMPT_FORMS,
    )
      .map(
        ([kind, { what, prompt, proof }]) =>
          `<h4>${code(kind)}</h4><p>${prose(what)}</p><div class="pair"><div>${json(prompt)}</div><div>${json(proof)}</div></div>`,
      )
      .join('')}
    <h3 id="reasons">Reasons</h3>${table(
      ['Reason', 'What it says', 'What to do'],
      Object.entries(REASON_ADVICE).map(([reason, advice]) => [
        code(reason),
        escape(reasons[reason as keyof typeof REASON_ADVICE]),
        prose(advice),
      ]),
    )}
    <h3 id="claims">Claims</h3><p>What you say of a sign-in counts where the connection was granted it; what was not is in <code>ignoredClaims</code>.</p>${table(
      ['Claim', 'What it says', 'In the body, below claims'],
      Object.entries(CLAIM_FORMS).map(([claim, { what, example }]) => [code(claim), prose(what), json(example)]),
    )}
    <h3 id="persons">Persons</h3>${table(
      ['Form', 'Example'],
      PERSON_FORMS.map(({ what, example }) => [prose(what), json(example)]),
    )}</section>`;
}

function section(id: string, spec: RouteSpec): string {
  const part = (title: string, schema: z.ZodType | undefined, io: 'input' | 'output') => {
    const table = schema ? fields(schema, io) : '';
    return table ? `<h4>${title}</h4>${table}` : '';
  };
  const notes = [
    accessSentence(spec.access),
    spec.freshProof ? 'A console session needs a fresh proof' : '',
    spec.idempotent ? 'Takes Idempotency-Key' : '',
    spec.etag === 'requires' ? 'Needs If-Match' : spec.etag === 'answers' ? 'Answers an ETag' : '',
  ].filter(Boolean);
  return `<article id="${escape(id)}"><h3><span class="verb">${spec.method}</span> <code>${escape(API_BASE + spec.path)}</code></h3>
    <p>${escape(spec.summary)}.</p><p class="note">${escape(notes.join('. '))}.</p>
    ${part('In the address', spec.params, 'input')}${part('After the question mark', spec.query, 'input')}${part('Body', spec.body, 'input')}
    ${part('Answer', spec.answer, 'output')}${examples(id)}
    <p class="note">Problems: ${errorsOf(spec)
      .map((code) => `<a href="#problem-${code}">${code}</a>`)
      .join(', ')}</p></article>`;
}

/** The readable page of the interface, made from the contract. */
export function docsPage(): string {
  const groups = new Map<string, [string, RouteSpec][]>();
  for (const [id, spec] of Object.entries(ROUTES)) {
    const group = id.split('.')[0]!;
    groups.set(group, [...(groups.get(group) ?? []), [id, spec]]);
  }
  const nav = [...groups.keys()].map((group) => `<li><a href="#group-${group}">${group}</a></li>`).join('');
  const body = [...groups].map(
    ([group, routes]) =>
      `<section><h2 id="group-${group}">${group}</h2>${routes.map(([id, spec]) => section(id, spec)).join('')}</section>`,
  );
  const problems = Object.entries(ERRORS).map(
    ([code, spec]) =>
      `<tr id="problem-${code}"><th scope="row"><code>${code}</code></th><td>${spec.status}</td><td>${spec.retryable ? 'yes' : 'no'}</td><td>${spec.audience}</td></tr>`,
  );
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Nimble Latch: HTTP interface</title>
    <link rel="stylesheet" href="/api/docs.css"></head><body><nav aria-label="Areas"><ul><li><a href="#integrating">for applications</a></li>${nav}<li><a href="#problems">problems</a></li></ul></nav>
    <main><h1>HTTP interface</h1><p>JSON over HTTP below <code>${API_BASE}</code>. The same as <a href="/api/v1/openapi.json">OpenAPI 3.1</a>.
    Applications and scripts send <code>Authorization: Bearer …</code>.</p>${integrating()}${body.join('')}
    <section><h2 id="problems">Problems</h2><p>RFC 9457, <code>application/problem+json</code>, with a stable <code>code</code>.</p>
    <div class="wide"><table><thead><tr><th>Code</th><th>Status</th><th>May succeed later</th><th>Told to</th></tr></thead><tbody>${problems.join('')}</tbody></table></div></section>
    </main></body></html>`;
}

export const DOCS_STYLE = `
:root { color-scheme: light dark; --ink: #14213a; --paper: #fbfaf6; --line: #d5d3c8; --sea: #0b6b5d; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6e9ef; --paper: #10182a; --line: #33405c; --sea: #6fd0bd; } }
body { margin: 0; display: grid; grid-template-columns: 12rem minmax(0, 1fr); font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); }
nav { position: sticky; top: 0; height: 100vh; overflow: auto; border-right: 1px solid var(--line); }
nav ul { list-style: none; margin: 1.5rem 0; padding: 0 1.25rem; }
main { padding: 1.5rem 2rem 6rem; max-width: 62rem; }
a { color: var(--sea); }
h2 { margin-top: 3rem; text-transform: capitalize; }
h3 { margin: 2.5rem 0 0.25rem; font-size: 1.05rem; overflow-wrap: anywhere; }
h4 { margin: 1rem 0 0.25rem; font-size: 0.9rem; }
.verb { display: inline-block; min-width: 4.5rem; color: var(--sea); }
.note { font-size: 0.9rem; opacity: 0.85; }
.wide { overflow-x: auto; }
.pair { display: grid; grid-template-columns: repeat(auto-fit, minmax(17rem, 1fr)); gap: 1rem; align-items: start; }
.pair > div { min-width: 0; }
pre { margin: 0; padding: 0.5rem 0.75rem; overflow: auto; max-width: 32rem; font-size: 0.8rem; border: 1px solid var(--line); border-radius: 4px; }
table { border-collapse: collapse; width: 100%; font-size: 0.9rem; }
th, td { text-align: left; vertical-align: top; padding: 0.3rem 0.75rem 0.3rem 0; border-top: 1px solid var(--line); font-weight: normal; }
thead th { font-weight: bold; border-top: 0; }
@media (max-width: 700px) { body { display: block; } nav { position: static; height: auto; border: 0; } nav ul { display: flex; flex-wrap: wrap; gap: 0.25rem 1rem; } main { padding: 0 1rem 4rem; } }
`;

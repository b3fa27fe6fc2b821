import { API_BASE, ERRORS, ROUTES, type RouteSpec } from '@nimble-latch/api';
import { accessSentence, errorsOf } from '@nimble-latch/api/openapi';
import { z } from 'zod';

const escape = (text: string) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

/** One line for each field: name, type, whether it must be there. */
function fields(schema: z.ZodType, io: 'input' | 'output'): string {
  const json = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as {
    properties?: Record<
      string,
      { type?: string | string[]; enum?: unknown[]; const?: unknown; description?: string; anyOf?: unknown[] }
    >;
    required?: string[];
  };
  if (!json.properties) return '';
  const rows = Object.entries(json.properties).map(([name, field]) => {
    const type = field.enum
      ? field.enum.map(String).join(' · ')
      : field.const !== undefined
        ? JSON.stringify(field.const)
        : [field.type ?? []].flat().join(' or ') || (field.anyOf ? 'one of several forms' : 'any');
    const must = json.required?.includes(name) ? '' : ' <em>optional</em>';
    return `<tr><th scope="row"><code>${escape(name)}</code>${must}</th><td>${escape(type)}</td><td>${escape(field.description ?? '')}</td></tr>`;
  });
  return `<div class="wide"><table><thead><tr><th>Field</th><th>Type</th><th>Meaning</th></tr></thead><tbody>${rows.join('')}</tbody></table></div>`;
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
    ${part('Answer', spec.answer, 'output')}
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
    <link rel="stylesheet" href="/api/docs.css"></head><body><nav aria-label="Areas"><ul>${nav}<li><a href="#problems">problems</a></li></ul></nav>
    <main><h1>HTTP interface</h1><p>JSON over HTTP below <code>${API_BASE}</code>. The same as <a href="/api/v1/openapi.json">OpenAPI 3.1</a>.
    Applications and scripts send <code>Authorization: Bearer …</code>.</p>${body.join('')}
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
table { border-collapse: collapse; width: 100%; font-size: 0.9rem; }
th, td { text-align: left; vertical-align: top; padding: 0.3rem 0.75rem 0.3rem 0; border-top: 1px solid var(--line); font-weight: normal; }
thead th { font-weight: bold; border-top: 0; }
@media (max-width: 700px) { body { display: block; } nav { position: static; height: auto; border: 0; } nav ul { display: flex; flex-wrap: wrap; gap: 0.25rem 1rem; } main { padding: 0 1rem 4rem; } }
`;

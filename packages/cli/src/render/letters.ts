import type { Answer } from '@nimble-latch/api';

type Letter = Answer<'invitationRounds.print'>['letters'][number];

const ENTITIES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};
const plain = (text: string): string => text.replace(/[&<>"']/g, (sign) => ENTITIES[sign]!);

const STYLE = `
  @page { size: A4; margin: 25mm 20mm; }
  body { font: 12pt/1.5 'Atkinson Hyperlegible Next', system-ui, sans-serif; color: #16263a; margin: 0; }
  article { page-break-after: always; break-after: page; display: grid; gap: 8mm; padding: 10mm 0; }
  article:last-child { break-after: auto; page-break-after: auto; }
  pre { font: inherit; white-space: pre-wrap; overflow-wrap: anywhere; margin: 0; }
  figure { margin: 0; display: flex; gap: 8mm; align-items: center; }
  figure div { width: 42mm; height: 42mm; flex: none; }
  svg { width: 100%; height: 100%; }
  .code { font: 600 14pt 'Atkinson Hyperlegible Mono', ui-monospace, monospace; letter-spacing: 0.04em; }
`;

/** Letters as a page of its own, one on a sheet: nothing of it is fetched from anywhere. */
export function lettersPage(title: string, letters: readonly Letter[]): string {
  const sheets = letters.map(
    ({ lines, code, page, qrSvg }) => `<article>
<pre>${plain(lines)}</pre>
<figure><div>${qrSvg}</div><figcaption>${plain(page)}<br><span class="code">${plain(code)}</span></figcaption></figure>
</article>`,
  );
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${plain(title)}</title>
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'"><style>${STYLE}</style></head>
<body>
${sheets.join('\n')}
</body></html>
`;
}

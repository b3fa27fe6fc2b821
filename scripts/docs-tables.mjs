/** Writes docs/errors.md from the one table of errors, and the schemas of rulebooks and of configuration files. Tests hold them together with the code. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { catalogue, ERROR_CODES, ERRORS } from '@nimble-latch/api';
import { RULEBOOK_SCHEMA } from '@nimble-latch/core/rulebook';
import { configurationSchema } from '@nimble-latch/api/openapi';
import { ROOT } from './lib/installation.mjs';

const words = catalogue('en').errors;
const rows = ERROR_CODES.map((code) => {
  const { status, exit, retryable, audience } = ERRORS[code];
  // Of a number with its noun only the plural stands here.
  const sentence = `${words[code].title} ${words[code].remedy}`.replace(/\{(\w+)\/[^/}]*\/([^}]*)\}/g, '{$1} $2');
  return `| \`${code}\` | ${status} | ${exit} | ${retryable ? 'yes' : 'no'} | ${audience} | ${sentence} |`;
});
const page = `# Errors

Every refusal is a problem after RFC 9457 with a stable \`code\`. The client ends with the exit status beside it.
\`anyone\` may be told to a browser of somebody who has not proved anything; \`application\` and \`operator\` codes are only
told to those. Facts in braces travel as data in \`facts\`. Written by \`npm run docs:tables\`.

| code | status | exit | may succeed later | told to | sentence |
| --- | --- | --- | --- | --- | --- |
${rows.join('\n')}
`;
writeFileSync(join(ROOT, 'docs/errors.md'), page);
writeFileSync(join(ROOT, 'docs/rulebook.schema.json'), JSON.stringify(RULEBOOK_SCHEMA, null, 2));
writeFileSync(join(ROOT, 'docs/config.schema.json'), JSON.stringify(configurationSchema(), null, 2));

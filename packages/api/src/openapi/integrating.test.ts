import { CLAIMS, PROMPT_KINDS, REASONS } from '@nimble-latch/core/vocabulary';
import { describe, expect, it } from 'vitest';
import { ROUTES, type RouteSpec } from '../index.js';
import type { RouteId } from '../paths.js';
import { proofBody, signIn } from '../routes/signins.js';
import { buildOpenApi } from './index.js';
import { CLAIM_FORMS, EXAMPLES, PERSON_FORMS, PROMPT_FORMS, REASON_ADVICE } from './integrating.js';

describe('what integrators read', () => {
  it('has every kind of prompt, reason and claim, and nothing that there is not', () => {
    expect(Object.keys(PROMPT_FORMS).sort()).toEqual([...PROMPT_KINDS].sort());
    expect(Object.keys(REASON_ADVICE).sort()).toEqual([...REASONS].sort());
    expect(Object.keys(CLAIM_FORMS).sort()).toEqual([...CLAIMS].sort());
  });

  it('shows nothing that the contract would not take or give', () => {
    for (const [kind, { prompt, proof }] of Object.entries(PROMPT_FORMS)) {
      expect(prompt.kind, kind).toBe(kind);
      expect(signIn.shape.prompt.safeParse(prompt).error, kind).toBeUndefined();
      expect(proofBody.safeParse(proof).error, kind).toBeUndefined();
    }
    const begin = ROUTES['signIns.begin'].body;
    for (const { example } of Object.values(CLAIM_FORMS))
      expect(begin.safeParse({ loginName: 'a', claims: example }).error).toBeUndefined();
    for (const { example, what } of PERSON_FORMS)
      if (!('person' in example)) expect(begin.safeParse(example).error, what).toBeUndefined();
    for (const [id, all] of Object.entries(EXAMPLES))
      for (const { title, body, answer } of all ?? []) {
        const spec: RouteSpec = ROUTES[id as RouteId];
        if (body) expect(spec.body!.safeParse(body).error, title).toBeUndefined();
        if (answer) expect(spec.answer.safeParse(answer).error, title).toBeUndefined();
      }
  });

  it('stands in the OpenAPI description, in words and with the calls', () => {
    const { info, paths } = buildOpenApi('https://latch.example', '1') as {
      info: { description: string };
      paths: Record<string, Record<string, { requestBody: { content: Record<string, { examples: object }> } }>>;
    };
    for (const kind of [...PROMPT_KINDS, ...REASONS, ...CLAIMS]) expect(info.description).toContain(`**${kind}**`);
    const { examples } = paths['/api/v1/sign-ins']!['post']!.requestBody.content['application/json']!;
    expect(Object.keys(examples)).toHaveLength(EXAMPLES['signIns.begin']!.length);
  });
});

import { METHODS, ROLES, SYSTEMS, WEEKDAYS } from '../vocabulary.js';
import { FORM, LONGEST_NAME, MOST_NAMES, MOST_RULES, MOST_WAYS } from './text.js';

type Schema = Record<string, unknown>;

const strict = (properties: Schema, required: readonly string[] = [], more: Schema = {}): Schema => ({
  type: 'object',
  additionalProperties: false,
  ...(required.length > 0 ? { required } : {}),
  properties,
  ...more,
});
const list = (items: Schema, maxItems: number = MOST_NAMES): Schema => ({
  type: 'array',
  minItems: 1,
  maxItems,
  items,
});
const name: Schema = { type: 'string', minLength: 1, maxLength: LONGEST_NAME };
const day: Schema = { type: 'string', pattern: String.raw`^\d{4}-\d\d-\d\d$`, description: 'Such as 2027-01-31' };

/** Keys that may also be written with `not`, of which a map has one or the other. */
function either(kinds: Readonly<Record<string, Schema>>, plural: readonly [string, string][] = []): Schema {
  const pairs = [...Object.keys(kinds).map((key): [string, string] => [key, `not ${key}`]), ...plural];
  const properties = Object.fromEntries(
    Object.entries(kinds).flatMap(([key, items]) => [
      [key, list(items)],
      [`not ${key}`, list(items)],
    ]),
  );
  return strict(properties, [], { not: { anyOf: pairs.map(([one, other]) => ({ required: [one, other] })) } });
}

const ways = list({ $ref: '#/$defs/way' }, MOST_WAYS);

/**
 * The JSON Schema (2020-12) of a rulebook's text, for editors that help while one types. It knows the shape; what it cannot
 * say (two rules of one name, a day in February) the service does.
 */
export const RULEBOOK_SCHEMA: Schema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Rulebook',
  description: 'Who is asked for what, where. Read from the top; the first rule in force that applies decides.',
  ...strict(
    {
      form: { const: FORM, description: 'The form that this text is written in' },
      rules: { type: 'array', maxItems: MOST_RULES, items: { $ref: '#/$defs/rule' } },
      otherwise: { $ref: '#/$defs/outcome', description: 'What holds where no rule applies' },
    },
    ['form', 'rules', 'otherwise'],
  ),
  $defs: {
    rule: strict(
      {
        rule: { ...name, description: 'The name of the rule; no other has it' },
        state: {
          anyOf: [
            { enum: ['in force', 'resting'] },
            { type: 'string', pattern: String.raw`^on trial until \d{4}-\d\d-\d\d$` },
          ],
          description: 'On trial: recorded, not enforced, up to and with that day',
        },
        who: {
          ...either({ groups: name, roles: { enum: ROLES }, people: name }),
          description: 'Anybody of those named, nobody of those barred',
        },
        at: either({ applications: name }),
        from: { ...either({ networks: name, countries: name, cities: name }), description: 'Where the address lies' },
        when: strict({
          days: list({ enum: WEEKDAYS }, 7),
          between: {
            type: 'string',
            pattern: String.raw`^([01]\d|2[0-3]):[0-5]\d (and|to) ([01]\d|2[0-4]):[0-5]\d$`,
            description: 'Over midnight the days are those on which it begins',
          },
          zone: { type: 'string', description: 'Such as Europe/London, or person' },
        }),
        'risk at least': { type: 'number', minimum: 0, maximum: 1 },
        browser: { enum: ['new', 'remembered'] },
        'last proof older than': { $ref: '#/$defs/duration' },
        system: strict({ 'any of': list({ enum: SYSTEMS }), 'none of': list({ enum: SYSTEMS }) }, [], {
          not: { required: ['any of', 'none of'] },
        }),
        except: {
          type: 'array',
          maxItems: MOST_NAMES,
          items: strict({ person: name, group: name, reason: { type: 'string' }, until: day }, ['reason', 'until'], {
            oneOf: [{ required: ['person'] }, { required: ['group'] }],
          }),
        },
        then: { $ref: '#/$defs/outcome' },
        'remember browser': { type: 'string', pattern: String.raw`^\d{1,4} days?$` },
        'once a session': { type: 'boolean', description: 'Not at each unlock of a screen' },
        grace: strict({ days: { type: 'number', minimum: 1, maximum: 365 }, 'last day': day }, ['days', 'last day']),
      },
      ['rule', 'then'],
    ),
    outcome: {
      oneOf: [
        { enum: ['let in', 'refuse', 'ask for phishing-resistant'] },
        strict({ 'ask for': ways }, ['ask for']),
        strict({ 'ask for level': { enum: [1, 2, 3] } }, ['ask for level']),
        strict({ 'ask whoever has one': ways }, ['ask whoever has one']),
      ],
    },
    way: {
      type: 'string',
      pattern: `^\\s*(${METHODS.join('|')})\\s*(\\([a-z, -]+\\))?(\\s*\\+\\s*(${METHODS.join('|')})\\s*(\\([a-z, -]+\\))?){0,3}\\s*$`,
      description: 'Proofs that suffice together, such as password + totp or webauthn(verified)',
    },
    duration: { type: 'string', pattern: String.raw`^\d{1,4} (minute|hour|day)s?$` },
  },
};

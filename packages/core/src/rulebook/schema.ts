import { METHODS, type NameKind } from '../vocabulary.js';
import { CONDITION_KEYS, CONDITIONS, MOST_NAMES, nameSchema as name, type NamesText } from './conditions/index.js';
import { FORM, MOST_RULES, MOST_WAYS } from './text.js';

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
const day: Schema = { type: 'string', pattern: String.raw`^\d{4}-\d\d-\d\d$`, description: 'Such as 2027-01-31' };

/** What stands under the lists of a key. */
const SAID: Readonly<Record<string, string>> = {
  who: 'Anybody of those named, nobody of those barred',
  from: 'Where the address lies',
};

/**
 * What a name is of, for editors that know what there is (JSON Schema leaves unknown keywords to whoever knows them). Countries and
 * cities are words that no list has.
 */
const named = (kind: NameKind, schema: Schema = name): Schema =>
  kind === 'country' || kind === 'city' ? schema : { ...schema, 'x-names': kind };
const KIND_OF: Readonly<Record<string, NameKind>> = Object.fromEntries(
  CONDITIONS.flatMap(({ names }) => names.map(({ member, kind }) => [member, kind])),
);
const listed = ({ member, schema }: NamesText): Schema => {
  const kind = KIND_OF[member];
  return list(kind === undefined ? schema : named(kind, schema));
};

/** Lists below one key, of which a map has each in one of its two words. */
function either(key: string, lists: readonly NamesText[]): Schema {
  const pairs = lists.map(({ words }) => ({ required: [...words] }));
  const properties = Object.fromEntries(
    lists.flatMap((one) => one.words.map((word): [string, Schema] => [word, listed(one)])),
  );
  const schema = strict(properties, [], { not: { anyOf: pairs } });
  return SAID[key] === undefined ? schema : { ...schema, description: SAID[key] };
}

const conditionSchemas = (): Schema =>
  Object.fromEntries(
    CONDITION_KEYS.map((key) => {
      const texts = CONDITIONS.map(({ text }) => text).filter((text) => text.key === key);
      const [own] = texts.flatMap((text) => ('schema' in text ? [text.schema] : []));
      return [
        key,
        own ??
          either(
            key,
            texts.flatMap((text) => ('lists' in text ? text.lists : [])),
          ),
      ];
    }),
  );

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
            {
              type: 'string',
              pattern: String.raw`^on trial until \d{4}-\d\d-\d\d$`,
              examples: ['on trial until 2027-01-31'],
            },
          ],
          description: 'On trial: recorded, not enforced, up to and with that day',
        },
        ...conditionSchemas(),
        except: {
          type: 'array',
          maxItems: MOST_NAMES,
          items: strict(
            {
              person: named('person'),
              group: named('group'),
              reason: { type: 'string' },
              until: day,
              instead: {
                $ref: '#/$defs/outcome',
                description: 'What holds for them instead; without it the rules below decide, down to otherwise',
              },
            },
            ['reason', 'until'],
            { oneOf: [{ required: ['person'] }, { required: ['group'] }] },
          ),
        },
        then: { $ref: '#/$defs/outcome' },
        'remember browser': { type: 'string', pattern: String.raw`^\d{1,4} days?$`, examples: ['14 days'] },
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
      examples: METHODS,
    },
    duration: { type: 'string', pattern: String.raw`^\d{1,4} (minute|hour|day)s?$` },
  },
};

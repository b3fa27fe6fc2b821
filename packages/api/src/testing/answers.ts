import type { RouteSpec } from '../contract.js';
import { ROUTE_IDS, ROUTES, type RouteId } from '../index.js';
import { schemaOf } from '../openapi/index.js';

/**
 * Answers that the contract allows, made from the contract itself: whatever field an answer gets, commands and pages are shown one
 * with it. Not a
 * service: nothing of an answer follows from what was asked.
 */

interface Schema {
  readonly $ref?: string;
  readonly $defs?: Readonly<Record<string, Schema>>;
  readonly const?: unknown;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly allOf?: readonly Schema[];
  readonly type?: string;
  readonly format?: string;
  readonly pattern?: string;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly additionalProperties?: Schema | boolean;
  readonly propertyNames?: Schema;
  readonly items?: Schema;
  readonly prefixItems?: readonly Schema[];
  readonly minItems?: number;
  readonly maxItems?: number;
}

export const NOW = '2026-11-23T08:00:00.000Z';
export const ID = '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11';

/** Texts of one shape or another; the first that a field takes is it. */
const TEXTS = [
  'Quayside crane number four, north basin',
  'ada.quay',
  '{name}',
  'GB',
  'en',
  'Europe/London',
  '2026-11-30',
  '+442079460018',
  '10.1.0.0/16',
  'https://planner.wexmoor.example',
  'a1b2c3d4',
  'AB12CD34',
  '12',
  'x',
];

/** How an answer is made: `few` leaves out what may be left out, and lists are empty; `full` has everything. */
export interface Making {
  readonly few: boolean;
  /** Which of several forms is taken. */
  readonly turn: number;
}

class Maker {
  #made = 0;
  constructor(
    readonly root: Schema,
    readonly how: Making,
  ) {}

  of(schema: Schema, at: string, depth = 0): unknown {
    if (depth > 14) return null;
    if (schema.$ref !== undefined) return this.of(this.#resolved(schema.$ref), at, depth + 1);
    if (schema.const !== undefined) return schema.const;
    if (schema.enum) return schema.enum[(this.how.turn + this.#made++) % schema.enum.length];
    const forms = schema.anyOf ?? schema.oneOf;
    if (forms) return this.#oneOf(forms, at, depth);
    if (schema.allOf) return Object.assign({}, ...schema.allOf.map((part) => this.of(part, at, depth + 1))) as unknown;
    switch (schema.type) {
      case 'object':
        return this.#object(schema, at, depth);
      case 'array':
        return this.#array(schema, at, depth);
      case 'integer':
      case 'number':
        return Math.min(Math.max(schema.minimum ?? 0, 3 + this.how.turn), schema.maximum ?? Infinity);
      case 'boolean':
        return (this.how.turn + this.#made++) % 2 === 0;
      case 'string':
        return this.#text(schema, at);
      default:
        return null;
    }
  }

  #resolved(ref: string): Schema {
    if (ref === '#') return this.root;
    const name = /^#\/\$defs\/(.+)$/.exec(ref)?.[1];
    const found = name === undefined ? undefined : this.root.$defs?.[name];
    if (!found) throw new Error(`nothing is called ${ref}`);
    return found;
  }

  #oneOf(forms: readonly Schema[], at: string, depth: number): unknown {
    const isNull = (form: Schema) => form.type === 'null';
    if (this.how.few && forms.some(isNull)) return null;
    const real = forms.filter((form) => !isNull(form));
    return real.length === 0 ? null : this.of(real[this.how.turn % real.length]!, at, depth + 1);
  }

  #object(schema: Schema, at: string, depth: number): Record<string, unknown> {
    const made: Record<string, unknown> = {};
    for (const [name, inner] of Object.entries(schema.properties ?? {}))
      if (!this.how.few || schema.required?.includes(name)) made[name] = this.of(inner, `${at}.${name}`, depth + 1);
    if (typeof schema.additionalProperties === 'object')
      for (const name of schema.propertyNames?.enum ?? (this.how.few ? [] : ['one']))
        if (schema.required === undefined || schema.required.includes(name as string) || !this.how.few)
          made[name as string] = this.of(schema.additionalProperties, `${at}.${String(name)}`, depth + 1);
    return made;
  }

  #array(schema: Schema, at: string, depth: number): unknown[] {
    if (schema.prefixItems) return schema.prefixItems.map((inner, i) => this.of(inner, `${at}[${i}]`, depth + 1));
    const wanted = this.how.few ? 0 : 2;
    const length = Math.min(Math.max(wanted, schema.minItems ?? 0), schema.maxItems ?? wanted);
    return Array.from({ length }, () => this.of(schema.items ?? {}, `${at}[]`, depth + 1));
  }

  #text(schema: Schema, at: string): string {
    if (schema.format === 'uuid' || schema.format === 'guid')
      return `0197${(0x0a3e + this.#made++).toString(16).padStart(4, '0')}${ID.slice(8)}`;
    if (schema.format === 'date-time') return '2026-11-21T09:12:44.000Z';
    if (schema.format === 'email') return 'ada.quay@wexmoor.example';
    if (schema.format === 'uri') return 'https://planner.wexmoor.example/signed-in';
    const fits = (text: string) =>
      (schema.pattern === undefined || new RegExp(schema.pattern, 'u').test(text)) &&
      text.length >= (schema.minLength ?? 0) &&
      text.length <= (schema.maxLength ?? Infinity);
    const found = TEXTS.find(fits);
    if (found === undefined) throw new Error(`${at}: no text is known that ${schema.pattern} takes`);
    return found;
  }
}

/** What a route answers, as the contract has it. Throws where what was made is not of the contract. */
export function answerOf(route: RouteId, how: Making): unknown {
  const spec: RouteSpec = ROUTES[route];
  if (spec.media) return 'a,b\r\n1,2\r\n';
  const schema = schemaOf(spec.answer, 'output') as Schema;
  const made = new Maker(schema, how).of(schema, route);
  // Lists end with the page that is shown.
  if (typeof made === 'object' && made !== null && 'next' in made && 'rows' in made) made.next = null;
  return made;
}

const PATTERNS = ROUTE_IDS.map((route) => {
  const { method, path }: RouteSpec = ROUTES[route];
  return {
    route,
    method,
    pattern: new RegExp(`^/api/v1${path.replace(/\{\w+\}/g, '[^/]+')}$`),
    plain: !path.includes('{'),
  };
}).sort((a, b) => Number(b.plain) - Number(a.plain));

/** The route that a request is for. */
export function routeOf(method: string, address: string): RouteId {
  const { pathname } = new URL(address);
  const found = PATTERNS.find((one) => one.method === method && one.pattern.test(pathname));
  if (!found) throw new Error(`nothing of the contract is at ${method} ${pathname}`);
  return found.route;
}

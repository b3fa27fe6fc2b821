import type { Parsed } from '@nimble-latch/api';
import { parseWay, type Way } from '@nimble-latch/core/assurance';
import type { Outcome, Rule, RulebookEdit } from '@nimble-latch/core/rulebook';
import { badField } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { checkedOf, readText } from './review.js';

type Typed = Parsed<'rulebook.edit', 'body'>['edit'];
type TypedOutcome = Extract<Typed, { kind: 'otherwise' }>['outcome'];
type TypedRule = Extract<Typed, { kind: 'put' }>['rule'];

function outcomeOf(typed: TypedOutcome, where: string): Outcome {
  if (!('ways' in typed)) return typed;
  const ways = typed.ways.map((text, i): Way => {
    const read = parseWay(text);
    if ('problem' in read) throw badField(`${where}.ways[${i}]`, 'way');
    return read.way;
  });
  return { kind: typed.kind, ways };
}

const ruleOf = (typed: TypedRule): Rule =>
  ({
    ...typed,
    except: typed.except.map(({ instead, ...one }, i) => ({
      ...one,
      ...(instead ? { instead: outcomeOf(instead, `body.edit.rule.except[${i}].instead`) } : {}),
    })),
    then: outcomeOf(typed.then, 'body.edit.rule.then'),
  }) as Rule;

function editOf(typed: Typed): RulebookEdit {
  switch (typed.kind) {
    case 'put':
    case 'insert':
      return { ...typed, rule: ruleOf(typed.rule) };
    case 'otherwise':
      return { kind: 'otherwise', outcome: outcomeOf(typed.outcome, 'body.edit.outcome') };
    default:
      return typed;
  }
}

/** Changes a text by one of its rules. A text with problems is not touched: it is answered with them. */
export const editText: Handler<'rulebook.edit'> = async (deps, { body }) => {
  const { binding } = await deps.rulebook.current();
  const read = async (text: string) => await readText(deps.heavy, deps, text, binding, deps.now());
  const before = await read(body.text);
  if (!before.sound) return { answer: { ...checkedOf(before), text: body.text } };
  let text: string;
  try {
    text = await deps.heavy.run('editRulebook', body.text, editOf(body.edit));
  } catch (error) {
    if (error instanceof RangeError) throw badField('body.edit.at', 'no-such-rule');
    throw error;
  }
  return { answer: { ...checkedOf(await read(text)), text } };
};

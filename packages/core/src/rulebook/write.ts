import { isMap, isSeq, parseDocument, type Document, type Node, type Pair, type YAMLMap, type YAMLSeq } from 'yaml';
import { canonicalJson, type Json } from '../crypto/index.js';
import { writeWay } from '../assurance/index.js';
import { CONDITIONS } from './conditions/index.js';
import { writeDuration } from './duration.js';
import type { Conditions, Exception, Outcome, Rule, Rulebook } from './form.js';
import { joined, piecesOf, shifted } from './pieces.js';
import { FORM, readRulebook, RULE_KEYS } from './text.js';

type Plain = Record<string, Json>;

function plainConditions(conditions: Conditions): Plain {
  const plain: Record<string, Json> = {};
  for (const { text } of CONDITIONS) {
    if ('write' in text) {
      const value = text.write(conditions);
      if (value !== undefined) plain[text.key] = value;
      continue;
    }
    for (const { member, words } of text.lists) {
      const said = conditions[member];
      if (said)
        plain[text.key] = { ...(plain[text.key] as Plain | undefined), [words[said.not ? 1 : 0]]: [...said.names] };
    }
  }
  return plain;
}

function plainOutcome(outcome: Outcome): Json {
  switch (outcome.kind) {
    case 'let-in':
      return 'let in';
    case 'refuse':
      return 'refuse';
    case 'phishing-resistant':
      return 'ask for phishing-resistant';
    case 'level':
      return { 'ask for level': outcome.level };
    case 'ways':
      return { 'ask for': outcome.ways.map(writeWay) };
    case 'whoever-has-one':
      return { 'ask whoever has one': outcome.ways.map(writeWay) };
  }
}

const plainException = ({ person, group, reason, until, instead }: Exception): Plain => ({
  ...(person === undefined ? {} : { person }),
  ...(group === undefined ? {} : { group }),
  reason,
  until,
  ...(instead ? { instead: plainOutcome(instead) } : {}),
});

/** A rule as its text holds it, with the keys in the order in which they are read. */
function plainRule(rule: Rule): Plain {
  const { name, state, conditions, except, then, rememberDays, oncePerSession, grace } = rule;
  const plain: Plain = {
    rule: name,
    ...(state.kind === 'in-force'
      ? {}
      : { state: state.kind === 'resting' ? 'resting' : `on trial until ${state.until}` }),
    ...plainConditions(conditions),
    ...(except.length > 0 ? { except: except.map(plainException) } : {}),
    then: plainOutcome(then),
    ...(rememberDays > 0 ? { 'remember browser': writeDuration(rememberDays * 1_440) } : {}),
    ...(oncePerSession ? { 'once a session': true } : {}),
    ...(grace ? { grace: { days: grace.days, 'last day': grace.lastDay } } : {}),
  };
  return Object.fromEntries(RULE_KEYS.flatMap((key) => (key in plain ? [[key, plain[key]!]] : [])));
}

/** Lists of names and ways stand in one line, everything else below one another. */
function node(document: Document, value: Json): Node {
  const made = document.createNode(value, { aliasDuplicateObjects: false }) as Node;
  if (isSeq(made) && made.items.every((item) => !isMap(item))) made.flow = true;
  if (isMap(made))
    for (const { key, value: inner } of made.items as Pair<Node, Node>[])
      if (isSeq(inner)) made.set(key, node(document, inner.toJSON() as Json));
      else if (isMap(inner)) made.set(key, node(document, inner.toJSON() as Json));
  return made;
}

/** So that it can stand where another did. */
function inOneLine(made: Node): Node {
  if (isMap(made)) made.flow = true;
  return made;
}

const OPTIONS = { lineWidth: 110, flowCollectionPadding: false } as const;

/** A rulebook as text. */
export function writeRulebook({ rules, otherwise }: Rulebook): string {
  const document = parseDocument(`form: ${FORM}\n\nrules: []\n\notherwise: refuse\n`);
  const list = document.createNode([]) as YAMLSeq;
  for (const rule of rules) list.add(node(document, plainRule(rule)));
  list.flow = rules.length === 0;
  spread(list);
  document.set('rules', list);
  document.set('otherwise', node(document, plainOutcome(otherwise)));
  (document.contents as YAMLMap<Node, Node>).items[2]!.key.spaceBefore = true;
  return document.toString(OPTIONS);
}

/** One change of a rulebook. Places count rules from 0. */
export type RulebookEdit =
  | { readonly kind: 'put'; readonly at: number; readonly rule: Rule }
  | { readonly kind: 'insert'; readonly at: number; readonly rule: Rule }
  | { readonly kind: 'remove'; readonly at: number }
  | { readonly kind: 'move'; readonly at: number; readonly to: number }
  | { readonly kind: 'otherwise'; readonly outcome: Outcome };

/**
 * Changes a rulebook's text. Nobody's rule is written anew by changing another: what is not changed stays to the byte, with its
 * spaces, comments and order; a comment above a rule moves and goes with it.
 *
 * @param text one that {@link readRulebook} takes
 * @throws RangeError for a place where there is no rule
 */
export function editRulebook(text: string, edit: RulebookEdit): string {
  const whole = editWhole(text, edit);
  const kept = keepBytes(text, whole, edit);
  // Should the pieces not fit for once, the rules come before the spaces between them.
  return kept !== undefined && meaningOf(kept) === meaningOf(whole) ? kept : whole;
}

const meaningOf = (text: string): string => {
  const { rulebook } = readRulebook(text);
  return rulebook ? canonicalJson(rulebook as unknown as Json) : '';
};

/** The change made in the bytes as they were typed: what is new of it is taken from the text that was written anew. */
function keepBytes(text: string, whole: string, edit: RulebookEdit): string | undefined {
  const [before, after] = [piecesOf(text), piecesOf(whole)];
  if (!before || !after) return undefined;
  if (edit.kind === 'otherwise') {
    const [from, to] = before.otherwise;
    return text.slice(0, from) + whole.slice(...after.otherwise) + text.slice(to);
  }
  const rules = [...before.rules];
  const made = (at: number) => shifted(after.rules[at]!.rule, after.indent, before.indent);
  if (edit.kind === 'put') rules[edit.at] = { ...rules[edit.at]!, rule: made(edit.at) };
  if (edit.kind === 'insert') rules.splice(edit.at, 0, { above: '', rule: made(edit.at), below: '' });
  if (edit.kind === 'remove') rules.splice(edit.at, 1);
  if (edit.kind === 'move') rules.splice(edit.to, 0, ...rules.splice(edit.at, 1));
  if (rules.length === 0) return undefined;
  return joined({ ...before, rules }, before);
}

/** The change made in the document, which is then written anew. */
function editWhole(text: string, edit: RulebookEdit): string {
  const document = parseDocument(text);
  const rules = document.get('rules') as YAMLSeq<YAMLMap<Node, Node>>;
  const { items } = rules;
  const there = (at: number, most = items.length - 1) => {
    if (!Number.isInteger(at) || at < 0 || at > most) throw new RangeError(`There is no rule at ${at}.`);
    return at;
  };
  switch (edit.kind) {
    case 'put':
      putRule(document, items[there(edit.at)]!, plainRule(edit.rule));
      break;
    case 'insert':
      items.splice(there(edit.at, items.length), 0, node(document, plainRule(edit.rule)) as YAMLMap<Node, Node>);
      break;
    case 'remove':
      items.splice(there(edit.at), 1);
      break;
    case 'move': {
      hold(rules);
      const [moved] = items.splice(there(edit.at), 1);
      items.splice(there(edit.to, items.length), 0, moved!);
      break;
    }
    case 'otherwise':
      document.set('otherwise', inOneLine(node(document, plainOutcome(edit.outcome))));
  }
  rules.flow = items.length === 0;
  spread(rules);
  return document.toString(OPTIONS);
}

/** Changes the values of a rule that differ; those that do not stay as they were typed, and where. */
function putRule(document: Document, map: YAMLMap<Node, Node>, plain: Plain): void {
  const order = (key: unknown) => RULE_KEYS.indexOf(String(key));
  for (const { key } of [...map.items]) if (!(String(key) in plain)) map.delete(key);
  for (const [key, value] of Object.entries(plain)) {
    const present = map.get(key, true) as Node | undefined;
    if (present && canonicalJson(present.toJSON() as Json) === canonicalJson(value)) continue;
    const made = node(document, value);
    if (present) {
      if (present.comment) made.comment = present.comment;
      map.set(key as never, made);
    } else {
      const before = map.items.findIndex((item) => order(item.key) > order(key));
      const at = before < 0 ? map.items.length : before;
      map.items.splice(at, 0, document.createPair(key, made));
    }
  }
}

/** A comment above the first rule is the list's in the parser's eyes; here it is that rule's. */
function hold(rules: YAMLSeq<YAMLMap<Node, Node>>): void {
  const [first] = rules.items;
  if (!first || !rules.commentBefore) return;
  first.commentBefore = [rules.commentBefore, first.commentBefore].filter(Boolean).join('\n');
  rules.commentBefore = null;
}

/** A blank line between rules. */
function spread(rules: YAMLSeq): void {
  rules.items.forEach((item, i) => {
    (item as Node).spaceBefore = i > 0;
  });
}

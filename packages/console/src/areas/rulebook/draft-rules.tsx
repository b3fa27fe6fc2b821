import { say as sayShared, sayOutcome, sayRule, type Answer } from '@nimble-latch/api';
import { Button as AriaButton, GridList, GridListItem, useDragAndDrop, type Key } from 'react-aria-components';
import { styled } from 'styled-components';
import { ActionMenu } from '../../frame/components/action-menu.js';
import { Button } from '../../frame/components/button.js';
import { Row, Small, Soft, Spread } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { useMayCall } from '../../frame/session/context.js';
import { colour, radius, space } from '../../frame/theme/tokens.js';
import { rulebookWords } from './messages/index.js';
import type { Edit } from './outcome-fields.js';
import { RuleState, type ShownRulebook } from './sentences.js';

const w = rulebookWords.rulebook;

const List = styled(GridList)`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${space.small};
  outline: none;
`;
const Rule = styled(GridListItem)`
  display: grid;
  gap: ${space.tight};
  padding: ${space.snug} ${space.base};
  background: ${colour.raised};
  border: 1px solid ${colour.line};
  border-radius: ${radius.panel};
  overflow-wrap: anywhere;
  &[data-focus-visible] {
    outline: 2px solid ${colour.focus};
    outline-offset: 1px;
  }
  &[data-dragging] {
    opacity: 0.5;
  }
  &.marked {
    box-shadow: inset 3px 0 0 ${colour.brass};
  }
  p::first-letter {
    text-transform: uppercase;
  }
`;
const Last = styled(Row)`
  padding: ${space.snug} ${space.base};
  border: 1px solid ${colour.line};
  border-radius: ${radius.panel};
  background: ${colour.raised};
`;
const Handle = styled(AriaButton)`
  font: inherit;
  color: ${colour.inkSoft};
  background: none;
  border: 0;
  border-radius: ${radius.field};
  padding: ${space.hair} ${space.small};
  cursor: grab;
  &[data-focus-visible] {
    outline: 2px solid ${colour.focus};
  }
`;

/** Where a rule comes to stand that is dropped before or after another one: its place once it has left its own. */
export const placeAfter = (at: number, onto: number, side: 'before' | 'after' | 'on'): number => {
  const gap = side === 'after' ? onto + 1 : onto;
  return gap > at ? gap - 1 : gap;
};

/** The rules of a draft as sentences, to be edited, moved by dragging (with the keyboard too: Enter on the handle) and by the menu. */
export function DraftRules({
  rulebook: { rules, otherwise },
  findings,
  marked,
  onMark,
  onChange,
  onEdit,
}: {
  rulebook: ShownRulebook;
  findings: Answer<'rulebook.check'>['findings'];
  /** The rule that is looked at in the text. */
  marked: number | undefined;
  onMark: (at: number) => void;
  onChange: (edit: Edit) => void;
  onEdit: (at: number | 'otherwise') => void;
}) {
  const mayEdit = useMayCall()('rulebook.edit');
  const placeOf = (key: Key) => rules.findIndex(({ name }) => name === key);
  const { dragAndDropHooks } = useDragAndDrop({
    getItems: (keys) => [...keys].map((key) => ({ 'text/plain': String(key) })),
    onReorder: ({ keys, target }) => {
      const [key] = keys;
      const at = placeOf(key!);
      const to = placeAfter(at, placeOf(target.key), target.dropPosition);
      if (to !== at) onChange({ kind: 'move', at, to });
    },
  });
  return (
    <>
      <List
        aria-label={w.sentences}
        // The buttons of a rule are reached by Tab, as everywhere.
        keyboardNavigationBehavior="tab"
        onAction={(key) => onMark(placeOf(key))}
        {...(mayEdit ? { dragAndDropHooks } : {})}
      >
        {rules.map((rule, at) => (
          <Rule key={rule.name} id={rule.name} textValue={rule.name} className={marked === at ? 'marked' : ''}>
            <Spread>
              <Row>
                {mayEdit && rules.length > 1 && (
                  <Handle slot="drag" aria-label={say(w.drag, { name: rule.name })}>
                    <span aria-hidden="true">⠿</span>
                  </Handle>
                )}
                <Soft>{at + 1}.</Soft>
                <strong>{rule.name}</strong>
                <RuleState state={rule.state} />
              </Row>
              <Row>
                <Button look="quiet" about={rule.name} calls="rulebook.edit" onPress={() => onEdit(at)}>
                  {w.editRule}
                </Button>
                <ActionMenu
                  about={rule.name}
                  choices={[
                    at > 0 && {
                      text: w.up,
                      calls: 'rulebook.edit',
                      run: () => onChange({ kind: 'move', at, to: at - 1 }),
                    },
                    at < rules.length - 1 && {
                      text: w.down,
                      calls: 'rulebook.edit',
                      run: () => onChange({ kind: 'move', at, to: at + 1 }),
                    },
                    { text: w.remove, calls: 'rulebook.edit', run: () => onChange({ kind: 'remove', at }) },
                  ]}
                />
              </Row>
            </Spread>
            {/* The state stands beside the name. */}
            <p>{sayRule(shared, { ...rule, state: { kind: 'in-force' } })}</p>
            {findings
              .filter((one) => one.rule === rule.name)
              .map((one, i) => (
                <Small key={i}>{`◐ ${sayShared(shared.rulebook.findings[one.what], one.facts)}`}</Small>
              ))}
          </Rule>
        ))}
      </List>
      <Last>
        <strong>{w.otherwise}</strong>
        <span>{sayOutcome(shared, otherwise)}</span>
        <Button look="quiet" about={w.otherwise} calls="rulebook.edit" onPress={() => onEdit('otherwise')}>
          {w.editRule}
        </Button>
      </Last>
    </>
  );
}

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { ComboBox, FieldError, Input, Label, ListBox, ListBoxItem, Popover, Text } from 'react-aria-components';
import { styled } from 'styled-components';
import { words } from '../messages/index.js';
import { colour, radius, space } from '../theme/tokens.js';
import { Button } from './button.js';
import { box, stacked } from './field-look.js';
import { Small } from './layout.js';

const Picker = styled(ComboBox)`
  ${stacked}
  input {
    ${box}
    width: 100%;
  }
  input[data-invalid] {
    border-color: ${colour.danger};
  }
`;
const Found = styled(Popover)`
  background: ${colour.raised};
  color: ${colour.ink};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  min-width: var(--trigger-width);
  max-height: 16rem;
  overflow: auto;
`;
const Line = styled(ListBoxItem)`
  padding: ${space.small} ${space.snug};
  cursor: pointer;
  &[data-focused] {
    background: ${colour.actionSoft};
  }
`;
const Chosen = styled.ul`
  display: flex;
  flex-wrap: wrap;
  gap: ${space.tight};
  list-style: none;
  li {
    display: flex;
    align-items: center;
    gap: ${space.hair};
    padding-left: ${space.snug};
    border: 1px solid ${colour.line};
    border-radius: ${radius.field};
    overflow-wrap: anywhere;
  }
`;

/** Names that were chosen, and what is being typed of one more. */
export interface Picked {
  readonly names: readonly string[];
  readonly typed: string;
}

export const picked = (names: readonly string[] = []): Picked => ({ names, typed: '' });

/** Every name that is meant: what was typed last counts though nobody pressed Enter after it. */
export const namesOf = ({ names, typed }: Picked, between = /,/): string[] => {
  const more = typed
    .split(between)
    .map((one) => one.trim())
    .filter(Boolean);
  return once([...names, ...more]);
};

/** Each name once: whatever its case, it is one thing's alone. */
const once = (names: readonly string[]): string[] =>
  names.filter((name, at) => names.findIndex((one) => one.toLowerCase() === name.toLowerCase()) === at);

/** Some names of what there is: suggested while one types, and taken as typed where nothing is suggested. */
export function NamePicker({
  label,
  description,
  value,
  onChange,
  find,
  between = /,/,
  problem,
}: {
  label: string;
  description?: string;
  value: Picked;
  onChange: (value: Picked) => void;
  /** Names that fit what is typed, the best first. */
  find: (typed: string) => Promise<readonly string[]>;
  /** What stands between two names that are typed one after the other. */
  between?: RegExp;
  problem?: string | undefined;
}) {
  const typing = value.typed.trim();
  const asked = useDeferredValue(typing);
  const { data = [], isFetching } = useQuery({
    queryKey: ['names', label, asked],
    queryFn: async () => await find(asked),
    placeholderData: keepPreviousData,
    staleTime: 5_000,
  });
  const items = data.filter((name) => !value.names.includes(name)).map((id) => ({ id }));
  // A field that is emptied would list everything at once: after each name it is one anew, which the keyboard stays in.
  const [took, setTook] = useState(false);
  const take = (next: Picked) => {
    setTook(true);
    onChange(next);
  };
  return (
    <div>
      <Picker
        key={value.names.length}
        autoFocus={took}
        inputValue={value.typed}
        onInputChange={(typed) =>
          between.test(typed) ? take(picked(namesOf({ ...value, typed }, between))) : onChange({ ...value, typed })
        }
        items={items}
        value={null}
        onChange={(key) => key !== null && take(picked(once([...value.names, String(key)])))}
        allowsCustomValue
        // The list opens at a keystroke or not at all: it has to stand open, empty, until the names are here.
        allowsEmptyCollection={isFetching || asked !== typing}
        menuTrigger="input"
        isInvalid={problem !== undefined}
        validationBehavior="aria"
      >
        <Label>{label}</Label>
        <Input autoComplete="off" />
        {description && <Text slot="description">{description}</Text>}
        <FieldError>{problem}</FieldError>
        <Found>
          <ListBox<{ id: string }> renderEmptyState={() => <Small>{words.loading}</Small>}>
            {({ id }) => <Line textValue={id}>{id}</Line>}
          </ListBox>
        </Found>
      </Picker>
      {value.names.length > 0 && (
        <Chosen aria-label={label}>
          {value.names.map((name) => (
            <li key={name}>
              {name}
              <Button
                look="quiet"
                aria-label={`${words.act.takeAway} ${name}`}
                onPress={() => {
                  setTook(false);
                  onChange({ ...value, names: value.names.filter((one) => one !== name) });
                }}
              >
                ✕
              </Button>
            </li>
          ))}
        </Chosen>
      )}
    </div>
  );
}

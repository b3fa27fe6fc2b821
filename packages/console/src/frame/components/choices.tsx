import {
  Button,
  Checkbox as AriaCheckbox,
  CheckboxGroup as AriaCheckboxGroup,
  Label,
  ListBox,
  ListBoxItem,
  Popover,
  Select as AriaSelect,
  SelectValue,
} from 'react-aria-components';
import { styled } from 'styled-components';
import { colour, radius, space, type } from '../theme/tokens.js';
import { box, stacked } from './field-look.js';

const Choice = styled(AriaSelect)`
  ${stacked}
  button {
    ${box}
    display: flex;
    justify-content: space-between;
    align-items: center;
    cursor: pointer;
    text-align: left;
  }
`;
const Options = styled(Popover)`
  background: ${colour.raised};
  color: ${colour.ink};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  min-width: var(--trigger-width);
  overflow: auto;
`;
const Option = styled(ListBoxItem)`
  padding: ${space.small} ${space.snug};
  cursor: pointer;
  &[data-focused] {
    background: ${colour.actionSoft};
  }
  &[data-selected] {
    font-weight: ${type.bold};
  }
`;

/** One of a few. In a list, where what stands beside it says what it is for, its label is only heard. */
export function Select({
  label,
  heard,
  options,
  value,
  onChange,
}: {
  label: string;
  heard?: boolean;
  options: readonly { id: string; text: string }[];
  value: string;
  onChange: (id: string) => void;
}) {
  return (
    <Choice
      value={value}
      onChange={(key) => key !== null && onChange(String(key))}
      {...(heard ? { 'aria-label': label } : {})}
    >
      {!heard && <Label>{label}</Label>}
      <Button>
        <SelectValue />
        <span aria-hidden="true">▾</span>
      </Button>
      <Options>
        <ListBox items={options}>{(option) => <Option textValue={option.text}>{option.text}</Option>}</ListBox>
      </Options>
    </Choice>
  );
}

const Box = styled(AriaCheckbox)`
  display: flex;
  gap: ${space.small};
  align-items: baseline;
  padding: ${space.tight} 0;
  cursor: pointer;
  .tick {
    flex: none;
    width: 1.1rem;
    height: 1.1rem;
    border: 1px solid ${colour.lineStrong};
    border-radius: ${radius.field};
    display: grid;
    place-items: center;
    font-size: ${type.small};
    line-height: 1;
    align-self: center;
  }
  &[data-selected] .tick {
    background: ${colour.action};
    color: ${colour.actionInk};
    border-color: ${colour.action};
  }
  &[data-focus-visible] .tick {
    outline: 2px solid ${colour.focus};
    outline-offset: 2px;
  }
`;
const Group = styled(AriaCheckboxGroup)`
  ${stacked}
`;

/** Some of a few, each with what it means. */
export function CheckboxGroup<T extends string>({
  label,
  options,
  value,
  onChange,
}: {
  label: string;
  options: readonly { id: T; text: string }[];
  value: readonly T[];
  onChange: (value: T[]) => void;
}) {
  return (
    <Group value={[...value]} onChange={(next) => onChange(next as T[])}>
      <span className="label">
        <Label>{label}</Label>
      </span>
      {options.map((option) => (
        <Box key={option.id} value={option.id}>
          {({ isSelected }) => (
            <>
              <span className="tick" aria-hidden="true">
                {isSelected ? '✓' : ''}
              </span>
              <span>{option.text}</span>
            </>
          )}
        </Box>
      ))}
    </Group>
  );
}

/** One thing to be ticked. */
export function Checkbox({
  children,
  isSelected,
  onChange,
}: {
  children: string;
  isSelected: boolean;
  onChange: (isSelected: boolean) => void;
}) {
  return (
    <Box isSelected={isSelected} onChange={onChange}>
      <span className="tick" aria-hidden="true">
        {isSelected ? '✓' : ''}
      </span>
      <span>{children}</span>
    </Box>
  );
}

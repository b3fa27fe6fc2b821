import {
  Button,
  Checkbox as AriaCheckbox,
  CheckboxGroup as AriaCheckboxGroup,
  FieldError,
  Input,
  Label,
  ListBox,
  ListBoxItem,
  Popover,
  Select as AriaSelect,
  SelectValue,
  Text,
  TextArea as AriaTextArea,
  TextField as AriaTextField,
  type TextFieldProps as AriaTextFieldProps,
} from 'react-aria-components';
import type { RefObject } from 'react';
import { styled } from 'styled-components';
import { colour, radius, size, space, type } from '../theme/tokens.js';

const stacked = `
  display: grid;
  gap: ${space.tight};
  max-width: ${size.field};
  width: 100%;
  label, .label, .react-aria-Label { font-weight: ${type.bold}; }
  [slot='description'] { color: ${colour.inkSoft}; font-size: ${type.small}; }
  .react-aria-FieldError { color: ${colour.danger}; font-size: ${type.small}; }
`;

const box = `
  font: inherit;
  color: inherit;
  min-height: ${size.control};
  padding: ${space.tight} ${space.snug};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  background: ${colour.raised};
`;

const Field = styled(AriaTextField)`
  ${stacked}
  input {
    ${box}
    width: 100%;
  }
  input[data-invalid] {
    border-color: ${colour.danger};
  }
  &[data-code] input {
    font-family: ${type.code};
    font-size: ${type.shown};
    letter-spacing: 0.1em;
  }
`;

export interface TextFieldProps extends AriaTextFieldProps {
  label: string;
  description?: string;
  /** What is wrong with it, as the service said. */
  problem?: string | undefined;
  placeholder?: string;
  /** Large and monospaced, for one-time codes. */
  code?: boolean;
}

/** One line of input with its label, hint and problem beside it. */
export function TextField({ label, description, problem, placeholder, code, ...props }: TextFieldProps) {
  return (
    // The browser's own validation would keep a form from being sent again after the service refused a field.
    <Field
      {...props}
      validationBehavior="aria"
      isInvalid={problem !== undefined}
      {...(code ? { 'data-code': '' } : {})}
    >
      <Label>{label}</Label>
      <Input {...(placeholder ? { placeholder } : {})} />
      {description && <Text slot="description">{description}</Text>}
      <FieldError>{problem}</FieldError>
    </Field>
  );
}

const Lines = styled(Field)<{ $wide: boolean }>`
  ${({ $wide }) => ($wide ? 'max-width: none;' : '')}
  textarea {
    ${box}
    width: 100%;
    resize: vertical;
  }
  textarea[data-invalid] {
    border-color: ${colour.danger};
  }
  &[data-text] textarea {
    font-family: ${type.code};
    font-size: ${type.small};
    white-space: pre;
    overflow: auto;
    tab-size: 2;
  }
`;

/** Several lines of input. With `code` as wide as there is room, monospaced, its lines not broken. */
export function TextArea({
  label,
  heard,
  description,
  problem,
  code = false,
  rows,
  inputRef,
  ...props
}: Omit<TextFieldProps, 'placeholder'> & {
  /** What stands above it says what it is, so that its label is only heard. */
  heard?: boolean;
  rows: number;
  inputRef?: RefObject<HTMLTextAreaElement | null>;
}) {
  return (
    <Lines
      {...props}
      $wide={code}
      validationBehavior="aria"
      isInvalid={problem !== undefined}
      {...(heard ? { 'aria-label': label } : {})}
      {...(code ? { 'data-text': '' } : {})}
    >
      {!heard && <Label>{label}</Label>}
      <AriaTextArea rows={rows} spellCheck={!code} {...(inputRef ? { ref: inputRef } : {})} />
      {description && <Text slot="description">{description}</Text>}
      <FieldError>{problem}</FieldError>
    </Lines>
  );
}

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

// eslint-disable-next-line @typescript-eslint/no-deprecated -- its successor is two elements, which only a field with an error of its own needs
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

export const Form = styled.form`
  display: grid;
  gap: ${space.base};
`;

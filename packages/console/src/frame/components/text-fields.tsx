import {
  FieldError,
  Input,
  Label,
  Text,
  TextArea as AriaTextArea,
  TextField as AriaTextField,
  type TextFieldProps as AriaTextFieldProps,
} from 'react-aria-components';
import type { RefObject } from 'react';
import { styled } from 'styled-components';
import { colour, space, type } from '../theme/tokens.js';
import { box, stacked } from './field-look.js';

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

export const Form = styled.form`
  display: grid;
  gap: ${space.base};
`;

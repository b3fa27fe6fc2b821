import {
  FieldError,
  Input,
  Label,
  Text,
  TextArea as AriaTextArea,
  TextField as AriaTextField,
  type TextFieldProps as AriaTextFieldProps,
} from 'react-aria-components';
import { useEffect, useRef, type ComponentProps, type RefObject } from 'react';
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

const Stacked = styled.form`
  display: grid;
  gap: ${space.base};
`;

/** Fields that belong together, under what they are about. */
export const Fieldset = styled.fieldset`
  display: grid;
  gap: ${space.base};
  justify-items: start;
  padding: 0;
  margin: 0;
  border: 0;
  legend {
    padding: 0;
    margin-bottom: ${space.small};
    font-weight: ${type.bold};
  }
  > * {
    width: 100%;
  }
  > button {
    width: auto;
  }
`;

/** The first field of a form that is wrong. */
export const FIRST_WRONG = '[aria-invalid=true], [data-invalid] input, [data-invalid] textarea';

/** What is said of the whole, where the keyboard would be nowhere without it: somebody who is in a field stays there. */
function sayingWhole(form: HTMLFormElement): HTMLElement | undefined {
  if (form.contains(document.activeElement)) return undefined;
  const said = form.querySelector<HTMLElement>('[role=alert]');
  if (!said?.textContent) return undefined;
  said.tabIndex = -1;
  return said;
}

/**
 * A form. Where sending it is refused, whoever sent it is taken to the first field that is wrong (WCAG 2.2, 3.3.1), or to what is said
 * of the whole, so that the keyboard goes on from there.
 */
export function Form({ onSubmit, ...props }: ComponentProps<'form'>) {
  const form = useRef<HTMLFormElement>(null);
  /** What was wrong when it was sent, which is no answer to that; undefined while nothing is waited for. */
  const sent = useRef<ReadonlySet<Element>>(undefined);
  // After every render: what is wrong is told by whoever renders the fields, some time after it was sent.
  useEffect(() => {
    if (!sent.current || !form.current) return;
    const now = [...form.current.querySelectorAll<HTMLElement>(FIRST_WRONG)];
    if (now.length === 0) sent.current = new Set();
    const before = sent.current;
    const wrong = now.find((one) => !before.has(one)) ?? (now.length === 0 ? sayingWhole(form.current) : undefined);
    if (!wrong) return;
    sent.current = undefined;
    wrong.focus();
  });
  return (
    <Stacked
      {...props}
      ref={form}
      noValidate
      onSubmit={(event) => {
        // Enter sends a form of one field without its button.
        if (event.currentTarget.querySelector('button[data-pending]')) return event.preventDefault();
        sent.current = new Set(event.currentTarget.querySelectorAll(FIRST_WRONG));
        onSubmit?.(event);
      }}
    />
  );
}

import type { ReactNode } from 'react';
import { words } from '../messages/index.js';
import type { Trouble } from '../session/api.js';
import { Button } from './button.js';
import { Dialog } from './dialog.js';
import { Form } from './text-fields.js';
import { Row } from './layout.js';
import { WholeTrouble } from './whole-trouble.js';

/** A form in a dialog: what went wrong above it or beside its fields, then the two ways out. */
export function FormDialog({
  title,
  act,
  onClose,
  finish,
  danger,
  unready = false,
  children,
}: {
  title: string;
  act: { mutate: (input: undefined) => void; isPending: boolean; trouble: Trouble | undefined };
  onClose: () => void;
  finish: string;
  /** There is nothing to send yet. */
  unready?: boolean;
  danger?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog title={title} onClose={onClose}>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          act.mutate(undefined);
        }}
      >
        <WholeTrouble trouble={act.trouble} />
        {children}
        <Row>
          <Button look={danger ? 'danger' : 'main'} type="submit" isPending={act.isPending} isDisabled={unready}>
            {finish}
          </Button>
          <Button onPress={onClose}>{words.act.cancel}</Button>
        </Row>
      </Form>
    </Dialog>
  );
}

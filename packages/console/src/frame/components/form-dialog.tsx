import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { words } from '../messages/index.js';
import type { Trouble } from '../session/api.js';
import { Button } from './button.js';
import { Dialog } from './dialog.js';
import { Form } from './text-fields.js';
import { Banner, Row } from './layout.js';

/** A form in a dialog: what went wrong above it or beside its fields, then the two ways out. */
export function FormDialog({
  title,
  act,
  onClose,
  finish,
  danger,
  children,
}: {
  title: string;
  act: { mutate: (input: undefined) => void; isPending: boolean; trouble: Trouble | undefined };
  onClose: () => void;
  finish: string;
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
        {act.trouble && Object.keys(act.trouble.fields).length === 0 && (
          <Banner $tone={act.trouble.waits ? 'brass' : 'danger'} role="alert">
            {act.trouble.text} {act.trouble.waits && <Link to="/administrators">{words.signatures.where}</Link>}
          </Banner>
        )}
        {children}
        <Row>
          <Button look={danger ? 'danger' : 'main'} type="submit" isDisabled={act.isPending}>
            {finish}
          </Button>
          <Button onPress={onClose}>{words.act.cancel}</Button>
        </Row>
      </Form>
    </Dialog>
  );
}

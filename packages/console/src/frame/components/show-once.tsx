import { useState, type ReactNode } from 'react';
import { words } from '../messages/index.js';
import { Button } from './button.js';
import { Dialog } from './dialog.js';
import { Banner, Row, ShownCode } from './layout.js';

/**
 * A secret that is shown this once: copy it, say so, and it is gone.
 *
 * @param props.children what comes with it, and is gone with it
 */
export function ShowOnce({
  title,
  hint,
  secret,
  onDone,
  children,
}: {
  title: string;
  hint: string;
  secret: string;
  onDone: () => void;
  children?: ReactNode;
}) {
  const [copied, setCopied] = useState(false);
  return (
    <Dialog title={title} onClose={onDone}>
      <p>{hint}</p>
      {children}
      <ShownCode>{secret}</ShownCode>
      <Banner>{words.showOnce.warning}</Banner>
      <Row>
        <Button
          look="main"
          onPress={() => {
            void navigator.clipboard.writeText(secret).then(() => setCopied(true));
          }}
        >
          {copied ? words.showOnce.copied : words.showOnce.copy}
        </Button>
        <Button onPress={onDone}>{words.showOnce.kept}</Button>
      </Row>
    </Dialog>
  );
}

import { useState } from 'react';
import { words } from '../messages/index.js';
import { Button } from './button.js';
import { Dialog } from './dialog.js';
import { Banner, Row, ShownCode } from './layout.js';

/** A secret that is shown this once: copy it, say so, and it is gone. */
export function ShowOnce({
  title,
  hint,
  secret,
  onDone,
}: {
  title: string;
  hint: string;
  secret: string;
  onDone: () => void;
}) {
  const [copied, setCopied] = useState(false);
  return (
    <Dialog title={title} onClose={onDone}>
      <p>{hint}</p>
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

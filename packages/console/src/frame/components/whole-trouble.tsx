import { useLayoutEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { words } from '../messages/index.js';
import type { Trouble } from '../session/api.js';
import { Banner } from './layout.js';
import { FIRST_WRONG } from './text-fields.js';

/**
 * What went wrong, above the fields of its form: as a whole, or where none of the fields that are shown tells what is wrong with
 * it, such as one that the form does not have.
 */
export function WholeTrouble({ trouble }: { trouble: Trouble | undefined }) {
  const place = useRef<HTMLDivElement>(null);
  const [beside, setBeside] = useState<Trouble>();
  const inFields = Object.keys(trouble?.fields ?? {}).length > 0;
  useLayoutEffect(() => {
    if (trouble && inFields && place.current?.closest('form')?.querySelector(FIRST_WRONG)) setBeside(trouble);
  }, [trouble, inFields]);
  if (!trouble || (inFields && beside === trouble)) return null;
  const parts = new Set(
    Object.entries(trouble.fields).map(([where, what]) => (what === trouble.text ? what : `${where}: ${what}`)),
  );
  return (
    <div ref={place}>
      <Banner $tone={trouble.waits ? 'brass' : 'danger'} role="alert">
        {[trouble.text, ...[...parts].filter((part) => part !== trouble.text)].join(' ')}{' '}
        {trouble.waits && <Link to="/administrators">{words.signatures.where}</Link>}
      </Banner>
    </div>
  );
}

import { useSearchParams } from 'react-router';
import { say, words } from '../messages/index.js';
import { Banner } from './layout.js';

/** What an address may say to a page: by name, the values that there are, or whether one can be read. */
export type Heeded = Readonly<Record<string, readonly string[] | ((value: string) => boolean)>>;

/** Any value, such as an id or what is searched for. */
export const anything = () => true;

/** Tells what the address says that the page does not understand: the list would seem to be filtered by it. */
export function Unheeded({ heeded }: { heeded: Heeded }) {
  const [query] = useSearchParams();
  const unheeded = [...query].filter(([name, value]) => {
    const known = Object.hasOwn(heeded, name) ? heeded[name]! : [];
    return !(typeof known === 'function' ? known(value) : known.includes(value));
  });
  if (unheeded.length === 0) return null;
  const what = unheeded.map(([name, value]) => `${name}=${value}`).join(', ');
  return (
    <Banner $tone="brass" role="status">
      {say(words.unheeded, { what })}
    </Banner>
  );
}

import type { CompletionContext } from '@codemirror/autocomplete';
import CodeEditor, { type CodeEditorProps } from '../../../frame/components/code-editor/index.js';
import { call } from '../../../frame/session/api.js';
import { findNames } from '../../../frame/session/find-names.js';
import { useQueryClient } from '@tanstack/react-query';
import { rulebookWords } from '../messages/index.js';
import { offersAt, type Finder } from './offers.js';
import { placeOf } from './place.js';

const FIND: Readonly<Record<string, (typed: string) => Promise<readonly string[]>>> = {
  group: findNames.groups,
  person: findNames.people,
  application: findNames.applications,
  network: findNames.networks,
};

/** The text of a rulebook, with its words and the names that there are suggested while one types. */
export default function RulebookText(props: Omit<CodeEditorProps, 'label' | 'complete'>) {
  const queries = useQueryClient();
  const find: Finder = async (kind, typed) => (await FIND[kind]?.(typed)) ?? [];
  const complete = async (asked: CompletionContext) => {
    const place = placeOf(asked.state.sliceDoc(0, asked.pos));
    // Between two words nothing is pushed at anybody; whoever asks (Ctrl and space) is told what fits.
    if (!place || (place.typed === '' && !asked.explicit)) return null;
    const { schema } = await queries.fetchQuery({
      queryKey: ['rulebook', 'rulebook.schema'],
      queryFn: async () => await call('rulebook.schema'),
      staleTime: Infinity,
    });
    const offers = await offersAt(schema, place, find);
    return {
      from: asked.pos - place.length,
      options: offers.map(({ text, apply, kind, says }) => ({
        label: text,
        apply,
        type: kind,
        ...(says === undefined ? {} : { detail: says }),
      })),
      filter: true,
    };
  };
  return <CodeEditor {...props} label={rulebookWords.rulebook.text} complete={complete} />;
}

import { autocompletion, completionKeymap, type CompletionSource } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching } from '@codemirror/language';
import { lintKeymap, setDiagnostics } from '@codemirror/lint';
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search';
import { EditorState, RangeSet, StateEffect, StateField } from '@codemirror/state';
import {
  Decoration,
  drawSelection,
  EditorView,
  highlightActiveLine,
  keymap,
  lineNumbers,
  type DecorationSet,
} from '@codemirror/view';
import { useEffect, useEffectEvent, useImperativeHandle, useRef, type Ref } from 'react';
import { styled } from 'styled-components';
import { language } from '../../messages/index.js';
import { looks } from './looks.js';
import { PHRASES } from './phrases.js';

/** Where something is in the text; lines and columns from 1. */
export interface Spot {
  readonly line: number;
  readonly column: number;
}

export interface CodeEditorHandle {
  /** Puts the cursor there, in sight, and the keyboard into the text. */
  goTo(spot: Spot): void;
  /** Brings a line into sight; the keyboard stays where it is. */
  show(line: number): void;
}

export interface CodeEditorProps {
  /** What the text is, for whoever hears it. */
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** What is wrong where, underlined there. */
  problems: readonly (Spot & { readonly text: string })[];
  /** What fits where somebody types. */
  complete: CompletionSource;
  /** Lines that are marked, the first and the last. */
  marked?: readonly [from: number, to: number] | undefined;
  /** Hears on which line the cursor is, whenever that changes. */
  onLine?: (line: number) => void;
  ref?: Ref<CodeEditorHandle>;
}

const Box = styled.div`
  height: 100%;
  min-height: 0;
`;

const mark = StateEffect.define<readonly [number, number] | undefined>();
const marks = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(before, transaction) {
    let now = before.map(transaction.changes);
    for (const effect of transaction.effects) {
      if (!effect.is(mark)) continue;
      const { doc } = transaction.state;
      const [from, to] = effect.value ?? [1, 0];
      const lines = Array.from({ length: Math.max(0, Math.min(to, doc.lines) - from + 1) }, (_, i) => from + i);
      now = RangeSet.of(lines.map((line) => Decoration.line({ class: 'cm-marked' }).range(doc.line(line).from)));
    }
    return now;
  },
  provide: (field) => EditorView.decorations.from(field),
});

/** The place of a spot in the text as it is now; a spot that is beyond it, at the end of what there is. */
function positionOf({ doc }: EditorState, { line, column }: Spot): number {
  const at = doc.line(Math.min(Math.max(1, line), doc.lines));
  return Math.min(at.from + Math.max(0, column - 1), at.to);
}

/** Only what differs, so that cursor, scrolling and what can be undone stay. */
function changeTo(before: string, after: string) {
  let from = 0;
  while (from < before.length && from < after.length && before[from] === after[from]) from++;
  let end = 0;
  while (end < Math.min(before.length, after.length) - from && before.at(-1 - end) === after.at(-1 - end)) end++;
  return { from, to: before.length - end, insert: after.slice(from, after.length - end) };
}

/** A text of many lines for people who know what they write. Tab leaves it as any field; so large that it is loaded where it is used. */
export default function CodeEditor({
  label,
  value,
  onChange,
  problems,
  complete,
  marked,
  onLine,
  ref,
}: CodeEditorProps) {
  const box = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const changed = useEffectEvent(onChange);
  const completed = useEffectEvent((...asked: Parameters<CompletionSource>) => complete(...asked));
  const moved = useEffectEvent((line: number) => onLine?.(line));
  const begun = useEffectEvent(() => value);

  useEffect(() => {
    const nonce = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce;
    let at = 1;
    const made = new EditorView({
      parent: box.current!,
      state: EditorState.create({
        doc: begun(),
        extensions: [
          ...(nonce === undefined ? [] : [EditorView.cspNonce.of(nonce)]),
          EditorState.phrases.of(PHRASES[language]),
          EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false' }),
          EditorView.lineWrapping,
          lineNumbers(),
          history(),
          drawSelection(),
          highlightActiveLine(),
          highlightSelectionMatches(),
          bracketMatching(),
          search({ top: true }),
          yaml(),
          autocompletion({ override: [async (asked) => await completed(asked)], icons: false }),
          marks,
          keymap.of([...completionKeymap, ...searchKeymap, ...historyKeymap, ...lintKeymap, ...defaultKeymap]),
          looks,
          EditorView.updateListener.of((update) => {
            if (update.docChanged) changed(update.state.doc.toString());
            const line = update.state.doc.lineAt(update.state.selection.main.head).number;
            if (line !== at) moved(line);
            at = line;
          }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, [label]);

  // What changed it from outside is one step that can be undone like any other.
  useEffect(() => {
    const before = view.current!.state.doc.toString();
    if (before !== value) view.current!.dispatch({ changes: changeTo(before, value) });
  }, [value]);

  useEffect(() => {
    const { state } = view.current!;
    const found = problems.map((spot) => {
      const from = positionOf(state, spot);
      const { to } = state.doc.lineAt(from);
      return { from, to, severity: 'error' as const, message: spot.text };
    });
    view.current!.dispatch(setDiagnostics(state, found));
  }, [problems]);

  useEffect(() => {
    view.current!.dispatch({ effects: mark.of(marked) });
  }, [marked]);

  useImperativeHandle(ref, () => ({
    goTo(spot) {
      const at = positionOf(view.current!.state, spot);
      view.current!.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) });
      view.current!.focus();
    },
    show(line) {
      const at = positionOf(view.current!.state, { line, column: 1 });
      view.current!.dispatch({ effects: EditorView.scrollIntoView(at, { y: 'start', yMargin: 24 }) });
    },
  }));
  return <Box ref={box} />;
}

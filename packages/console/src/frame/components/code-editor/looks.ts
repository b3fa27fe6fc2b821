import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { colour, radius, space, type } from '../../theme/tokens.js';

/** The editor in the console’s own colours, which are variables: a change of theme needs nothing of it. */
export const looks = [
  EditorView.theme({
    '&': {
      height: '100%',
      color: colour.ink,
      backgroundColor: colour.raised,
      border: `1px solid ${colour.lineStrong}`,
      borderRadius: radius.field,
      fontSize: type.small,
    },
    '&.cm-focused': { outline: `2px solid ${colour.focus}`, outlineOffset: '1px' },
    '.cm-scroller': { fontFamily: type.code, lineHeight: '1.5' },
    '.cm-content': { caretColor: colour.ink, padding: `${space.small} 0` },
    '.cm-cursor': { borderLeftColor: colour.ink },
    '.cm-gutters': { backgroundColor: colour.paper, color: colour.inkSoft, border: '0' },
    '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: colour.actionSoft },
    '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': {
      backgroundColor: colour.brassSoft,
    },
    '.cm-marked': { boxShadow: `inset 3px 0 0 ${colour.brass}` },
    '.cm-tooltip, .cm-panels': {
      backgroundColor: colour.raised,
      color: colour.ink,
      border: `1px solid ${colour.lineStrong}`,
    },
    '.cm-tooltip-autocomplete > ul > li': { padding: `${space.hair} ${space.small}` },
    '.cm-tooltip-autocomplete > ul > li[aria-selected]': { backgroundColor: colour.action, color: colour.actionInk },
    '.cm-tooltip-autocomplete > ul > li[aria-selected] .cm-completionDetail': { color: colour.actionInk },
    '.cm-completionDetail': { color: colour.inkSoft, fontStyle: 'normal' },
    '.cm-completionMatchedText': { textDecoration: 'none', fontWeight: `${type.bold}` },
    // Not by colour alone: a line below it in another colour is also a wavy one, and stands in the list beside the text.
    '.cm-lintRange-error': {
      backgroundImage: 'none',
      textDecoration: `underline wavy ${colour.danger}`,
      textUnderlineOffset: '3px',
    },
    '.cm-diagnostic-error': { borderLeft: `4px solid ${colour.danger}` },
    '.cm-searchMatch': { backgroundColor: colour.brassSoft, outline: `1px solid ${colour.brass}` },
    '.cm-panel button, .cm-panel input': { color: colour.ink, backgroundColor: colour.raised, backgroundImage: 'none' },
  }),
  syntaxHighlighting(
    HighlightStyle.define([
      { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: colour.action },
      { tag: tags.comment, color: colour.inkSoft },
      { tag: [tags.squareBracket, tags.brace, tags.separator, tags.punctuation], color: colour.inkSoft },
    ]),
  ),
];

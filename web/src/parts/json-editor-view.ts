import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { json, jsonParseLinter } from '@codemirror/lang-json';
import { bracketMatching, foldGutter, HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { linter, lintGutter } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';

// The colours are the page's custom properties: one look for light and dark.
const look = EditorView.theme({
  '&': { backgroundColor: 'var(--panel)', color: 'var(--ink)', fontSize: '12px', height: '100%' },
  '&.cm-focused': { outline: '2px solid var(--focus)', outlineOffset: '-2px' },
  '.cm-scroller': { fontFamily: 'var(--mono)', fontStretch: '78%', lineHeight: '18px' },
  '.cm-gutters': { backgroundColor: 'var(--wash)', color: 'var(--ink-2)', borderRight: '1px solid var(--hair)' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--wash)' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--spruce-t)' },
  '.cm-tooltip': { backgroundColor: 'var(--panel)', border: '1px solid var(--rule)', borderRadius: '4px' },
});
const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--s3)' },
  { tag: tags.string, color: 'var(--s1)' },
  { tag: tags.number, color: 'var(--s2)' },
  { tag: [tags.bool, tags.null], color: 'var(--s4)' },
]);

/** Opens an editor of JSON in an element. The tab key leaves it, as it leaves every other field. */
export function openJsonEditor(parent: HTMLElement, text: string, name: string, changed: (text: string) => void): EditorView {
  return new EditorView({
    parent,
    state: EditorState.create({
      doc: text,
      extensions: [
        lineNumbers(),
        foldGutter(),
        history(),
        drawSelection(),
        bracketMatching(),
        highlightActiveLine(),
        json(),
        linter(jsonParseLinter()),
        lintGutter(),
        syntaxHighlighting(colours),
        look,
        keymap.of([...defaultKeymap, ...historyKeymap]),
        EditorView.contentAttributes.of({ 'aria-label': name }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) changed(update.state.doc.toString());
        }),
      ],
    }),
  });
}

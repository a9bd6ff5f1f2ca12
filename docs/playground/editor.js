// The editor: line numbers, colours, and findings underlined where they are.

import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { json } from "@codemirror/legacy-modes/mode/javascript";
import { toml } from "@codemirror/legacy-modes/mode/toml";
import { yaml } from "@codemirror/legacy-modes/mode/yaml";
import { lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
import { tags } from "@lezer/highlight";

const LANGUAGES = { toml, json, yaml, yml: yaml };

const colours = HighlightStyle.define([
  { tag: tags.comment, color: "var(--faint)", fontStyle: "italic" },
  { tag: [tags.string, tags.special(tags.string)], color: "var(--good)" },
  { tag: [tags.number, tags.bool, tags.atom], color: "var(--warn)" },
  { tag: [tags.propertyName, tags.definition(tags.propertyName), tags.keyword], color: "var(--accent)" },
]);

const look = EditorView.theme({
  "&": { height: "100%", color: "var(--ink)", fontSize: "13px" },
  "&.cm-focused": { outline: "none" },
  ".cm-scroller": { fontFamily: 'ui-monospace, "DejaVu Sans Mono", monospace', lineHeight: "1.5" },
  ".cm-content": { caretColor: "var(--ink)" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  ".cm-gutters": { background: "var(--sheet)", color: "var(--faint)", border: "none" },
  ".cm-activeLine": { background: "color-mix(in srgb, var(--lit) 45%, transparent)" },
  "&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-content ::selection": { background: "var(--lit)" },
  ".cm-tooltip": { background: "var(--sheet)", color: "var(--ink)", border: "1px solid var(--line)", maxWidth: "36rem" },
  ".cm-lintRange-error": { backgroundImage: "none", textDecoration: "underline wavy var(--bad)", textUnderlineOffset: "3px" },
  ".cm-lintRange-warning": { backgroundImage: "none", textDecoration: "underline wavy var(--warn)", textUnderlineOffset: "3px" },
  ".cm-lintRange-info": { backgroundImage: "none", textDecoration: "underline dotted var(--faint)", textUnderlineOffset: "3px" },
});

/** An editor in an element. `changed` is told the text after each edit. */
export function createEditor(element, changed) {
  // Behind a shadow root its styles are sheets of their own, which a policy without inline styles allows.
  const root = element.attachShadow({ mode: "open" });
  const box = document.createElement("div");
  box.style.height = "100%";
  root.append(box);
  const telling = EditorView.updateListener.of((update) => {
    if (update.docChanged) changed(update.state.doc.toString());
  });
  const state = (name, text) =>
    EditorState.create({
      doc: text,
      extensions: [
        lineNumbers(),
        history(),
        highlightActiveLine(),
        lintGutter(),
        keymap.of([...defaultKeymap, ...historyKeymap]),
        StreamLanguage.define(LANGUAGES[name.split(".").pop()] ?? toml),
        syntaxHighlighting(colours),
        EditorView.contentAttributes.of({ "aria-label": `The file ${name}` }),
        look,
        telling,
      ],
    });
  const view = new EditorView({ parent: box, root, state: state("routes.toml", "") });
  const kept = new Map();
  let shown;
  return {
    /** Shows a file; each keeps its own history. */
    show(name, text) {
      if (shown !== undefined) kept.set(shown, view.state);
      const known = kept.get(name);
      view.setState(known?.doc.toString() === text ? known : state(name, text));
      shown = name;
    },
    forget() {
      kept.clear();
      shown = undefined;
    },
    /** Underlines findings; `from` and `to` count as JavaScript does. */
    mark(findings) {
      const length = view.state.doc.length;
      const marks = findings.map(({ from, to, severity, message }) => ({
        from: Math.min(from, length),
        to: Math.min(Math.max(to, from + 1), length),
        severity: severity === "note" ? "info" : severity,
        message,
      }));
      view.dispatch(setDiagnostics(view.state, marks.sort((a, b) => a.from - b.from)));
    },
    goTo(from) {
      const at = Math.min(from, view.state.doc.length);
      view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
      view.focus();
    },
  };
}

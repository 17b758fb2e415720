import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { SQLite, sql } from "@codemirror/lang-sql";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, lineNumbers } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import type { Problem } from "../api/client";

const highlight = HighlightStyle.define([
  { tag: tags.keyword, fontWeight: "500" },
  { tag: [tags.string, tags.special(tags.name)], color: "var(--color-cheaper)" },
  { tag: tags.comment, color: "var(--color-quiet)", fontStyle: "italic" },
]);

type Props = {
  label: string;
  value: string;
  onChange: (text: string) => void;
  problems: Problem[];
  /** Text that is no SQL, and has no words of it. */
  plain?: boolean;
  /** Set to move the cursor to a place; the keyboard stays where it is when that is only to be shown. */
  place?: { line: number; column: number; shown?: boolean } | null;
};

/** An SQL editor. Tab leaves it, as everywhere on the page; problems are marked where they stand. */
export function SqlEditor({ label, value, onChange, problems, plain, place }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const changed = useRef(onChange);
  changed.current = onChange;
  const first = useRef(value);

  useEffect(() => {
    if (!host.current) {
      return;
    }
    const editor = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: first.current,
        extensions: [
          lineNumbers(),
          history(),
          lintGutter(),
          keymap.of([...defaultKeymap, ...historyKeymap]),
          plain ? [] : [sql({ dialect: SQLite }), syntaxHighlighting(highlight)],
          EditorView.contentAttributes.of({ "aria-label": label }),
          EditorView.updateListener.of((u) => u.docChanged && changed.current(u.state.doc.toString())),
        ],
      }),
    });
    // Long SQL scrolls, and must do so by keyboard too.
    editor.scrollDOM.tabIndex = 0;
    view.current = editor;
    return () => editor.destroy();
  }, [label, plain]);

  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() !== value) {
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
    }
  }, [value]);

  useEffect(() => {
    const editor = view.current;
    if (editor) {
      editor.dispatch(
        setDiagnostics(
          editor.state,
          problems.map((p) => toDiagnostic(editor.state, p)),
        ),
      );
    }
  }, [problems]);

  useEffect(() => {
    const editor = view.current;
    if (editor && place) {
      const at = offsetOf(editor.state, place.line, place.column);
      editor.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
      if (!place.shown) {
        editor.focus();
      }
    }
  }, [place]);

  return <div ref={host} className="h-full min-h-0" />;
}

function offsetOf(state: EditorState, line: number, column: number): number {
  const found = state.doc.line(Math.min(Math.max(1, line), state.doc.lines));
  return Math.min(found.from + column - 1, found.to);
}

function toDiagnostic(state: EditorState, p: Problem): Diagnostic {
  const from = offsetOf(state, p.line ?? 1, p.column ?? 1);
  const to = Math.min(state.doc.length, Math.max(from + 1, from + p.length));
  return { from: Math.min(from, to), to, severity: "error", message: p.message };
}

/** A message as text, that can be edited. */
import { defaultKeymap } from '@codemirror/commands'
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language'
import { EditorState, type Range, StateEffect, StateField } from '@codemirror/state'
import {
  Decoration,
  type DecorationSet,
  EditorView,
  keymap,
  MatchDecorator,
  ViewPlugin,
  type ViewUpdate,
  WidgetType,
} from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useRef } from 'react'
import { fileMark } from '../src/bytes.ts'
import type { Slice } from './model/message.ts'

interface Reading {
  isFirst: boolean
  isHead: boolean
}
/** RFC 9112: a request line, header fields, and a body, with JSON in colours. */
const language = StreamLanguage.define<Reading>({
  startState: () => ({ isFirst: true, isHead: true }),
  blankLine(state) {
    state.isHead = false
  },
  token(stream, state) {
    if (state.isFirst) {
      if (stream.sol() && stream.match(/^\S+/)) return 'keyword'
      if (stream.match(/^ HTTP\/[\d.]+$/)) state.isFirst = false
      else if (!stream.match(/^ ?[^ ]+/)) stream.next()
      if (stream.eol()) state.isFirst = false
      return null
    }
    if (state.isHead) {
      if (stream.sol() && stream.match(/^[^:\s]+:/)) return 'propertyName'
      stream.skipToEnd()
      return null
    }
    if (stream.match(/^"(?:[^"\\]|\\.)*"(?=\s*:)/)) return 'propertyName'
    if (stream.match(/^"(?:[^"\\]|\\.)*"/)) return 'string'
    if (stream.match(/^(?:-?\d[\d.eE+-]*|true|false|null)\b/)) return 'number'
    if (!stream.match(/^[^"\d\-tfn]+/)) stream.next()
    return null
  },
})
const looks = HighlightStyle.define([
  { tag: tags.keyword, fontWeight: '700' },
  { tag: tags.propertyName, color: 'var(--faint)' },
  { tag: tags.string, color: 'var(--ink)' },
  { tag: tags.number, color: 'var(--good)' },
])

class FileNote extends WidgetType {
  constructor(readonly bytes: string) {
    super()
  }
  toDOM() {
    const note = document.createElement('span')
    note.className = 'dots'
    note.textContent = `(a file of ${this.bytes} bytes)`
    return note
  }
  override eq(other: FileNote) {
    return this.bytes === other.bytes
  }
}
class Dots extends WidgetType {
  toDOM() {
    const dots = document.createElement('span')
    dots.className = 'dots'
    dots.textContent = '••••••'
    dots.title = 'secret'
    return dots
  }
  override eq() {
    return true
  }
}
const hide = StateEffect.define<readonly Slice[]>()
const hidden = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(now, { changes, effects }) {
    const told = effects.find((one) => one.is(hide))?.value as readonly Slice[] | undefined
    if (!told) return now.map(changes)
    const ranges: Range<Decoration>[] = told
      .filter(({ from, to }) => to > from)
      .map(({ from, to }) => Decoration.replace({ widget: new Dots() }).range(from, to))
    return Decoration.set(ranges, true)
  },
  provide: (field) => [
    EditorView.decorations.from(field),
    EditorView.atomicRanges.of((view) => view.state.field(field)),
  ],
})

const marks = new MatchDecorator({
  regexp: new RegExp(fileMark, 'g'),
  decoration: ([, , bytes = '']) => Decoration.replace({ widget: new FileNote(bytes) }),
})
/** Where a mark stands for a file, the file is named. */
const files = ViewPlugin.define(
  (view) => {
    const plugin = {
      decorations: marks.createDeco(view),
      update(update: ViewUpdate) {
        plugin.decorations = marks.updateDeco(update, plugin.decorations)
      },
    }
    return plugin
  },
  {
    decorations: (plugin) => plugin.decorations,
    provide: (plugin) => EditorView.atomicRanges.of((view) => view.plugin(plugin)?.decorations ?? Decoration.none),
  },
)

interface TextProps {
  readonly text: string
  /** Where secrets stand: they are not shown. */
  readonly secrets: readonly Slice[]
  readonly onChange: (text: string) => void
}
export default function Text({ text, secrets, onChange }: TextProps) {
  const place = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView>(undefined)
  const tell = useRef(onChange)
  tell.current = onChange
  useEffect(() => {
    const editor = new EditorView({
      parent: place.current as HTMLElement,
      state: EditorState.create({
        doc: text,
        extensions: [
          hidden,
          files,
          keymap.of(defaultKeymap),
          language,
          syntaxHighlighting(looks),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': 'The request message' }),
          EditorView.updateListener.of(({ docChanged, state, transactions }) => {
            if (docChanged && !transactions.some((one) => one.isUserEvent('outside')))
              tell.current(state.doc.toString())
          }),
        ],
      }),
    })
    view.current = editor
    return () => editor.destroy()
  }, [])
  useEffect(() => {
    const editor = view.current
    if (!editor) return
    const now = editor.state.doc.toString()
    if (now !== text) editor.dispatch({ changes: { from: 0, to: now.length, insert: text }, userEvent: 'outside' })
    editor.dispatch({ effects: hide.of(secrets) })
  }, [text, secrets])
  return <div ref={place} className="text" />
}

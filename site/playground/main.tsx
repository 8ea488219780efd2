/** The playground: a declaration in an editor, and the desk beside it, which judges with each keystroke. */
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { javascript } from '@codemirror/lang-javascript'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { EditorState } from '@codemirror/state'
import { EditorView, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useRef, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { createBench } from 'yosei-desk/bench'
import { kit } from '../../packages/yosei-cli/dist/kit.js'
import { App, type Keeper } from '../../packages/yosei-desk/page/app.tsx'
import type { Bench, Catalogue } from '../../packages/yosei-desk/src/terms.ts'
import { declaredIn } from './declaration.ts'
import '../../packages/yosei-desk/page/desk.css'
import './playground.css'

/** What this frame and the page around it send each other: the declaration, and the request as the desk keeps it. */
interface Kept {
  readonly source: string
  readonly request: string
}

const looks = HighlightStyle.define([
  { tag: [tags.keyword, tags.moduleKeyword], color: 'var(--signal)' },
  { tag: [tags.string, tags.regexp], color: 'var(--good)' },
  { tag: tags.comment, color: 'var(--faint)' },
  { tag: tags.number, color: 'var(--good)' },
  { tag: tags.function(tags.variableName), fontWeight: '600' },
])
/** How long typing must rest before the declaration is read anew, in milliseconds. */
const rest = 150

/** A bench over a declaration that changes: it keeps the last one that made sense. */
class Changing {
  #bench: Bench
  #revision = 0
  #broken: string | undefined
  #wakes: (() => void)[] = []
  constructor(bench: Bench) {
    this.#bench = bench
  }
  change(bench: Bench | undefined, broken?: string): void {
    if (bench) this.#bench = bench
    this.#broken = broken
    this.#revision++
    for (const wake of this.#wakes.splice(0)) wake()
  }
  readonly bench: Bench = {
    catalogue: async () => {
      const known: Catalogue = { ...(await this.#bench.catalogue()), revision: this.#revision }
      return this.#broken === undefined ? known : { ...known, broken: this.#broken }
    },
    shelf: () => this.#bench.shelf(),
    sample: (id) => this.#bench.sample(id),
    sheet: (name) => this.#bench.sheet(name),
    probes: (name, address) => this.#bench.probes(name, address),
    judge: (draft) => this.#bench.judge(draft),
    answer: (draft, wishes) => this.#bench.answer(draft, wishes),
    recorded: (har) => this.#bench.recorded(har),
    callers: (name) => this.#bench.callers(name),
    keep: (id, file) => this.#bench.keep(id, file),
    changed: async (after) => {
      if (this.#revision === after) await new Promise<void>((wake) => this.#wakes.push(wake))
      return this.#revision
    },
  }
}
/** Files that were chosen stay when the declaration changes. */
const files = new Map<string, Uint8Array>()
const benchOf = async (source: string) => createBench({ ...(await declaredIn(source)), books: [], kit, files })

function Playground({ first }: { first: Kept }) {
  const host = useRef<HTMLDivElement>(null)
  const kept = useRef(first)
  const changing = useRef<Changing>(undefined)
  const [ready, setReady] = useState<Catalogue>()
  const [trouble, setTrouble] = useState<string>()
  const [keeper] = useState<Keeper>(() => ({
    read: () => first.request,
    write: (request) => keep({ ...kept.current, request }),
  }))
  const keep = (next: Kept) => {
    kept.current = next
    parent.postMessage({ playground: 'kept', ...next }, '*')
  }

  useEffect(() => {
    // A declaration may wait for something: one that was typed later is what stands there.
    let latest = 0
    const read = async (source: string) => {
      const own = ++latest
      try {
        const bench = await benchOf(source)
        if (own !== latest) return
        if (changing.current) changing.current.change(bench)
        else {
          changing.current = new Changing(bench)
          setReady(await changing.current.bench.catalogue())
        }
        setTrouble(undefined)
      } catch (error) {
        if (own !== latest) return
        const { message } = error as Error
        if (changing.current) changing.current.change(undefined, message)
        setTrouble(message)
      }
    }
    let timer: ReturnType<typeof setTimeout>
    const view = new EditorView({
      parent: host.current as HTMLElement,
      state: EditorState.create({
        doc: first.source,
        extensions: [
          lineNumbers(),
          EditorView.lineWrapping,
          history(),
          javascript({ typescript: true }),
          syntaxHighlighting(looks),
          keymap.of([...defaultKeymap, ...historyKeymap, indentWithTab]),
          EditorView.contentAttributes.of({ 'aria-label': 'Declaration' }),
          EditorView.updateListener.of(({ docChanged, state }) => {
            if (!docChanged) return
            clearTimeout(timer)
            timer = setTimeout(() => {
              const source = state.doc.toString()
              keep({ ...kept.current, source })
              read(source)
            }, rest)
          }),
        ],
      }),
    })
    read(first.source)
    return () => {
      clearTimeout(timer)
      view.destroy()
    }
  }, [first])

  return (
    <div className="playground">
      <section aria-label="The declaration">
        <div ref={host} className="editor" />
        {trouble !== undefined && (
          <p role="alert" className="broken">
            {trouble}
          </p>
        )}
      </section>
      <section className="result" aria-label="The desk">
        {ready && changing.current && <App bench={changing.current.bench} catalogue={ready} keeper={keeper} isFolded />}
      </section>
    </div>
  )
}

const root = createRoot(document.getElementById('root') as HTMLElement)
addEventListener('message', ({ source, data }) => {
  const { playground, ...kept } = Object(data) as { playground?: string } & Kept
  if (source === parent && playground === 'open') root.render(<Playground key={kept.source} first={kept} />)
})
parent.postMessage({ playground: 'ready' }, '*')

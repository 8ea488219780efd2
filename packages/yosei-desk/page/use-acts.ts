/** What the lines of the ledger do to the message. */
import { type Dispatch, type SetStateAction, useMemo, useRef } from 'react'
import { formatAddress } from 'yosei'
import { fileText, markOf } from '../src/bytes.ts'
import type { Bench, Sheet } from '../src/terms.ts'
import { exampleAt } from './choices.ts'
import type { Acts } from './ledger.tsx'
import { leftOut, type Scene, sendRaw, typed, withFile, withName } from './model/edits.ts'
import { withElement } from './model/elements.ts'
import type { Line } from './model/lines.ts'
import { cut } from './model/message.ts'

/** Larger files are no part of the text that is edited: a mark stands for each. In bytes. */
const largestInText = 8000

interface Given {
  readonly bench: Bench
  readonly scene: Scene | undefined
  readonly sheet: Sheet | undefined
  /** What lines had that were struck through. */
  readonly kept: ReadonlyMap<string, string>
  readonly setKept: Dispatch<SetStateAction<ReadonlyMap<string, string>>>
  readonly edit: (message: string, what: string) => void
  readonly tell: (text: string) => void
  readonly onMenu: (line: Line, button: HTMLElement) => void
  readonly onFocus: (line: Line | undefined) => void
}
export function useActs(given: Given) {
  const { bench, edit, setKept, tell } = given
  const latest = useRef(given)
  latest.current = given
  /** The address of a line that was added: it gets the focus when it is there. */
  const coming = useRef<string>(undefined)
  const acts = useMemo<Acts>(() => {
    const on = (line: Line, what: string, by: (scene: Scene, line: Line) => string) => {
      const now = latest.current.scene
      // The line as it stands now: what was drawn may be a keystroke old.
      const own = now?.ledger.lines.find(({ address }) => address === line.address) ?? line
      if (now) edit(by(now, own), what)
    }
    return {
      type: (line, value) => on(line, `type ${line.address}`, (now, own) => typed(now, own, value)),
      raw: (line, raw) => on(line, `raw ${line.address}`, (now, own) => sendRaw(now, own, raw)),
      leave: (line) => on(line, '', leftOut),
      strike(line) {
        const now = latest.current.scene
        if (now && line.slice) {
          const raw = cut(now.text, line.slice)
          setKept((all) => new Map(all).set(line.address, raw))
        }
        on(line, '', leftOut)
      },
      restore(line) {
        const raw = latest.current.kept.get(line.address) ?? ''
        setKept((all) => {
          const next = new Map(all)
          next.delete(line.address)
          return next
        })
        on(line, '', (now, own) => sendRaw(now, own, raw))
      },
      async file(line, file) {
        try {
          const id = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`
          const isLarge = file.size > largestInText
          if (isLarge) await bench.keep(id, file)
          const content = isLarge ? markOf(id, file.size) : fileText(new Uint8Array(await file.arrayBuffer()))
          on(line, '', (now, own) => withFile(now, own, file.name, file.type, content))
        } catch (error) {
          tell(`${line.address}: ${file.name} ${(error as Error).message}`)
        }
      },
      addElement(line) {
        on(line, '', (now, own) => {
          const count = now.ledger.lines.filter(
            ({ path, element }) =>
              element && path.length === own.path.length + 1 && own.path.every((step, at) => path[at] === step),
          ).length
          coming.current = formatAddress([...own.path, count])
          return withElement(now, own, exampleAt(latest.current.sheet, [...own.path, 0]))
        })
      },
      addName(line, name) {
        coming.current = formatAddress([...line.path, line.part === 'header' ? name.toLowerCase() : name])
        on(line, '', (now, own) => withName(now, own, name))
      },
      menu: (line, button) => latest.current.onMenu(line, button),
      focus: (line) => latest.current.onFocus(line),
      blur: () => latest.current.onFocus(undefined),
    }
  }, [bench, edit, setKept, tell])
  return { acts, coming }
}

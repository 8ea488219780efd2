/** Books on disk: samples saved, renamed and removed, and each change taken back. */
import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { diffLines } from 'diff'
import type { Matter } from './bench.js'
import { draftOf } from './draft.js'
import type { BookSample } from './kit.js'
import { alone, putFile } from './put.js'
import { savedPage } from './save.js'
import type { Preview, SampleOrder, Saved, SaveOrder, Undecided } from './terms.js'

/** A book is not what it was when its sample was opened. */
export class Conflict extends RangeError {
  readonly code = 'conflict'
}

/** @param changed Called when a book is another now, or was found to be. */
export function booksAt(files: readonly string[], matterNow: () => Matter, changed: () => void) {
  const changes = new Map<string, { readonly file: string; readonly before: string; readonly after: string }>()
  let working: Promise<unknown> = Promise.resolve()
  /** One after the other: each begins with what the one before has written. */
  function inTurn<T>(file: string, work: (page: string) => Promise<T>): Promise<T> {
    if (!files.includes(file)) throw new RangeError(`${file}: this book was not given to the desk`)
    const done = working.then(() => alone(file, () => work(readFileSync(file, 'utf8'))))
    working = done.catch(() => undefined)
    return done
  }
  function write(file: string, before: string, after: string): string {
    putFile(file, after)
    const change = randomUUID()
    changes.set(change, { file, before, after })
    if (changes.size > mostChanges) changes.delete(changes.keys().next().value ?? '')
    changed()
    return change
  }
  /** The sample at a place in its book, if it is the one that was opened. */
  function sampleAt(file: string, page: string, { id, read }: SampleOrder) {
    const index = Number(/#(\d+)$/.exec(id)?.[1]) - 1
    if (!id.startsWith(`${file}#`)) throw new RangeError(`${id} is no sample of ${file}`)
    const sample = matterNow().kit.readBook(page)[index]
    if (!sample || draftOf(sample).message !== read) {
      // Who compares sees what is there now.
      changed()
      throw new Conflict(`${file} has another request there by now`)
    }
    return { index, sample }
  }
  const made = (order: SaveOrder, page: string) => {
    const { file, replaces, read = '' } = order
    const index = replaces === undefined ? undefined : sampleAt(file, page, { id: replaces, read }).index
    return savedPage(matterNow(), page, order, index)
  }
  const edit = (order: SampleOrder, by: (page: string, sample: BookSample) => string) => {
    const file = order.id.replace(/#\d+$/, '')
    return inTurn(file, async (page) => ({ change: write(file, page, by(page, sampleAt(file, page, order).sample)) }))
  }

  return {
    preview: (order: SaveOrder): Promise<Preview> =>
      inTurn(order.file, async (page) => {
        const { page: whole, open } = await made(order, page)
        return { open, lines: linesBetween(page, whole) }
      }),
    save: (order: SaveOrder): Promise<Saved | Undecided> =>
      inTurn(order.file, async (page) => {
        const { page: whole, saved, open, isDecided } = await made(order, page)
        return isDecided ? { ...saved, change: write(order.file, page, whole) } : { open }
      }),
    rename(order: SampleOrder & { readonly title: string }) {
      const { kit } = matterNow()
      const title = kit.plainTitle(order.title)
      if (title === '') throw new RangeError('a sample needs a title; write one')
      return edit(order, (page, sample) => kit.withTitle(page, sample, title))
    },
    remove: (order: SampleOrder) => edit(order, (page, sample) => matterNow().kit.without(page, sample)),
    undo(change: string) {
      const { file, before, after } = changes.get(change) ?? {}
      if (file === undefined || before === undefined) throw new RangeError('this change cannot be undone any more')
      return inTurn(file, async (page) => {
        if (page !== after) throw new Conflict(`${file} has changed since; undo it there`)
        changes.delete(change)
        return { change: write(file, page, before) }
      })
    },
  }
}
const mostChanges = 100

const linesBetween = (before: string, after: string): Preview['lines'] =>
  diffLines(before, after).flatMap(({ added, removed, value }) =>
    added || removed
      ? value
          .replace(/\r?\n$/, '')
          .split(/\r?\n/)
          .map((text) => ({ is: added ? ('new' as const) : ('gone' as const), text }))
      : [],
  )

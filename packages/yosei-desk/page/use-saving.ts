/** Samples saved, renamed and removed from the page; each can be taken back. */
import type { RefObject } from 'react'
import type { Bench, Catalogue, Draft, Judged, OpenLine, Preview, SampleOrder, SaveOrder } from '../src/terms.ts'
import type { Notice } from './frame.tsx'
import { statusOf } from './model/verdicts.ts'
import type { Wanted } from './saving.tsx'

interface Given {
  readonly bench: Bench
  readonly draft: Draft | undefined
  /** The message without secrets; `undefined` as long as it is not known what they are. */
  readonly message: string | undefined
  readonly judged: Judged | undefined
  readonly opened: string | undefined
  readonly asRead: RefObject<Map<string, string>>
  /** What is under way: the changes on disk that it makes are no news. */
  readonly working: RefObject<Promise<unknown> | undefined>
  readonly setNotice: (notice: Notice) => void
  readonly onChanged: (catalogue: Catalogue, opened: string | undefined) => Promise<void>
}
export function useSaving(given: Given) {
  const { bench, draft, message, judged, opened, asRead, working, setNotice, onChanged } = given
  const inTurn = <T>(work: () => Promise<T>): Promise<T> => {
    const done = work()
    working.current = done.catch(() => undefined)
    return done
  }
  const orderOf = ({ file, title, replaces, decisions }: Wanted): SaveOrder => {
    if (!draft || message === undefined) throw new Error('it is not known yet what is a secret; try again')
    return {
      draft: { ...draft, message },
      file,
      title,
      ...(replaces === undefined ? {} : { replaces, read: asRead.current.get(replaces) ?? '', decisions }),
    }
  }
  const sampleOrder = (): SampleOrder => {
    if (opened === undefined) throw new Error('no sample is open')
    return { id: opened, read: asRead.current.get(opened) ?? '' }
  }
  /** Says what was done, with a way back. */
  const done = async (text: string, change: string, openedNow: string | undefined, before = opened) => {
    await onChanged(await bench.catalogue(), openedNow)
    const undo = () =>
      inTurn(async () => {
        await bench.undo?.(change)
        if (before !== undefined) await read(before)
        await onChanged(await bench.catalogue(), before)
      }).then(
        () => setNotice({ text: 'undone' }),
        (error: Error) => setNotice({ text: error.message }),
      )
    setNotice({ text, undo: bench.undo ? undo : undefined })
  }
  const read = async (id: string) => asRead.current.set(id, (await bench.sample(id)).message)
  return {
    preview: async (wanted: Wanted): Promise<Preview> =>
      (await bench.preview?.(orderOf(wanted))) ?? { open: [], lines: [] },
    save: (wanted: Wanted): Promise<readonly OpenLine[] | undefined> =>
      inTurn(async () => {
        const made = await bench.save?.(orderOf(wanted))
        if (!made) return undefined
        if ('open' in made) return made.open
        const { id, stamp, change } = made
        await read(id)
        const isOther = judged && stamp.status !== statusOf(judged)
        const because = isOther ? ': what was left out makes the difference' : ''
        await done(`saved into ${wanted.file} as ${stamp.status}${because}`, change, id)
        return undefined
      }),
    rename: (title: string): Promise<void> =>
      inTurn(async () => {
        const made = await bench.rename?.({ ...sampleOrder(), title })
        if (made) await done('renamed', made.change, opened)
      }),
    remove: (): Promise<void> =>
      inTurn(async () => {
        const made = await bench.remove?.(sampleOrder())
        if (made) await done('removed from its book', made.change, undefined)
      }),
  }
}

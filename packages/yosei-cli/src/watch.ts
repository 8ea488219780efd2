/** The option `--watch`. */
import { watch } from 'node:fs'
import { Failure } from './failure.js'
import { pc, print } from './terminal.js'

/**
 * Does something again whenever a file of some folders changes, until it is stopped, and prints what comes of it.
 *
 * @param isOwn Whether a file is one that it writes itself.
 */
export async function againOnChange(
  folders: Iterable<string>,
  again: () => Promise<string>,
  isOwn: (file: string) => boolean = () => false,
): Promise<void> {
  let due: NodeJS.Timeout | undefined
  let isBusy = false
  const run = async () => {
    if (isBusy) return void later()
    isBusy = true
    try {
      await print(`${await again()}\n`)
    } catch (error) {
      if (!(error instanceof Failure)) throw error
      await print(`${pc.red(error.message)}\n`)
    }
    isBusy = false
  }
  const later = () => {
    clearTimeout(due)
    due = setTimeout(() => void run(), 80)
  }
  await print(`${pc.gray('watching; Ctrl-C ends')}\n`)
  const watchers = [...folders].map((folder) =>
    watch(folder, { recursive: false }, (_, file) => {
      if (file === null || !isOwn(file)) later()
    }),
  )
  await new Promise<void>((resolve) => process.once('SIGINT', resolve))
  for (const watcher of watchers) watcher.close()
  clearTimeout(due)
}

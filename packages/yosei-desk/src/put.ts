/** Replaces a file as a whole. Other writers wait. */
import { closeSync, fsyncSync, openSync, renameSync, rmSync, statSync, writeSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'

const besides = (file: string, ending: string) => join(dirname(file), `.${basename(file)}.${ending}`)

/** A lock that is older than this is of a desk that was killed. */
const longestHeld = 10_000
const longestWait = 15_000

/** Works on a file that other processes work on too: one after the other. */
export async function alone<T>(file: string, work: () => Promise<T>): Promise<T> {
  const lock = besides(file, 'lock')
  const since = Date.now()
  for (;;) {
    try {
      closeSync(openSync(lock, 'wx'))
      break
    } catch (error) {
      if ((error as { code?: string }).code !== 'EEXIST') throw error
      const age = Date.now() - (statSync(lock, { throwIfNoEntry: false })?.mtimeMs ?? 0)
      if (age > longestHeld) rmSync(lock, { force: true })
      else if (Date.now() - since > longestWait)
        throw new RangeError(`${file} is being saved by another desk; try again`)
      else await sleep(5 + Math.random() * 20)
    }
  }
  try {
    return await work()
  } finally {
    rmSync(lock, { force: true })
  }
}

/** Whether a path is that of a file, or of what it is put through. */
export const isPutAs = (path: string, file: string): boolean => path === file || path.startsWith(besides(file, ''))

/**
 * The file is what it was, or all of what it becomes: also on a disk that is full.
 *
 * @throws Error if it cannot be written.
 */
export function putFile(file: string, text: string): void {
  const made = besides(file, `${process.pid}`)
  const mode = statSync(file, { throwIfNoEntry: false })?.mode
  try {
    const handle = openSync(made, 'w', mode)
    try {
      const bytes = Buffer.from(text)
      for (let at = 0; at < bytes.length; ) at += writeSync(handle, bytes, at)
      fsyncSync(handle)
    } finally {
      closeSync(handle)
    }
    renameSync(made, file)
  } catch (error) {
    rmSync(made, { force: true })
    throw error
  }
}

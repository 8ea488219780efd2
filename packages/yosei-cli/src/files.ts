/** The files that a user names. */
import { mkdirSync, realpathSync, statSync } from 'node:fs'
import { dirname, resolve } from 'node:path'
import { globSync } from 'tinyglobby'
import { putFile } from 'yosei-desk/put'
import { Failure } from './failure.js'
import { nameOf } from './lines.js'

/**
 * The files that patterns name, each once however often it is named; `-` is standard input.
 *
 * @param inFolder The files of a folder.
 * @throws Failure if a pattern names none.
 */
export function filesOf(
  patterns: readonly string[],
  inFolder: (folder: string) => readonly string[],
): readonly string[] {
  const found = new Map<string, string>()
  for (const pattern of patterns)
    for (const file of namedBy(pattern, inFolder)) {
      const real = file === '-' ? file : realpathSync(file)
      if (!found.has(real)) found.set(real, file)
    }
  return [...found.values()]
}

function namedBy(pattern: string, inFolder: (folder: string) => readonly string[]): readonly string[] {
  const kind = pattern === '-' ? undefined : statSync(pattern, { throwIfNoEntry: false })
  if (pattern === '-' || kind?.isFile()) return [pattern]
  if (kind?.isDirectory()) return inFolder(pattern)
  const files = globSync(pattern, { expandDirectories: false }).sort()
  if (files.length === 0) throw new Failure(`${pattern}: there is no such file or folder, and no file matches it`)
  return files
}

/**
 * Writes a file, and its folder if there is none.
 *
 * @throws Failure if it cannot be written.
 */
export function writeTo(file: string, text: string): void {
  try {
    mkdirSync(dirname(resolve(file)), { recursive: true })
    putFile(file, text)
  } catch (error) {
    throw new Failure(`${nameOf(file)}: ${(error as Error).message}`)
  }
}

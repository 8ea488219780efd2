/** Finds sample books by file, folder or glob. */
import { readFileSync, statSync } from 'node:fs'
import { globSync } from 'tinyglobby'
import { BookError, readBook, readEvents, type Sample } from './book/index.js'
import { Failure } from './failure.js'

export interface Found {
  readonly file: string
  readonly sample: Sample
}

/** @throws Failure where nothing is found, or a book cannot be read. */
export function findSamples(patterns: readonly string[]): Found[] {
  const files = [...new Set(patterns.flatMap(findBooks))]
  const samples = files.flatMap((file) => readSamples(file).map((sample) => ({ file, sample })))
  if (samples.length === 0)
    throw new Failure(
      `${patterns.join(' ')}: no samples here; write a request into a fenced block with the info string http`,
    )
  return samples
}

function findBooks(pattern: string): string[] {
  const kind = statSync(pattern, { throwIfNoEntry: false })
  if (kind?.isFile()) return [pattern]
  const files = kind?.isDirectory()
    ? globSync('**/*.md', { cwd: pattern }).map((file) => `${pattern.replace(/\/$/, '')}/${file}`)
    : globSync(pattern, { expandDirectories: false })
  if (files.length > 0) return files.sort()
  throw new Failure(
    `${pattern}: ${kind ? 'no sample book in this folder; put a Markdown file there' : 'there is no such file or folder, and no file matches it'}`,
  )
}

function readSamples(file: string): Sample[] {
  try {
    return (file.endsWith('.ndjson') ? readEvents : readBook)(readFileSync(file, 'utf8'))
  } catch (error) {
    if (error instanceof BookError) throw new Failure(`${file}:${error.line}: ${error.message}`)
    throw new Failure(`${file}: could not be read: ${(error as Error).message}`)
  }
}

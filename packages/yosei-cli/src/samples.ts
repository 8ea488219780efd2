/** Finds samples, one after the other: books by file, folder or glob; recordings; lines of JSON; standard input. */
import { readFileSync, statSync } from 'node:fs'
import { text } from 'node:stream/consumers'
import { globSync } from 'tinyglobby'
import { parseMessage } from 'yosei'
import { BookError, readBook, readHar, readLine, type Sample } from './book/index.js'
import { Failure } from './failure.js'
import { filesOf } from './files.js'
import { linesOf, nameOf } from './lines.js'

export interface Found {
  readonly file: string
  readonly sample: Sample
  /** How much of all files has been read by then, from 0 to 1. */
  readonly share: number
}

/** @throws Failure if nothing is found, or something cannot be read. */
export async function* findSamples(patterns: readonly string[]): AsyncGenerator<Found> {
  const files = sampleFiles(patterns)
  const sizes = files.map((file) => statSync(file, { throwIfNoEntry: false })?.size ?? 0)
  const all = Math.max(
    1,
    sizes.reduce((sum, size) => sum + size, 0),
  )
  let count = 0
  let before = 0
  for (const [index, file] of files.entries()) {
    const seen = { bytes: 0 }
    for await (const sample of readSamples(file, seen)) {
      count++
      yield { file: nameOf(file), sample, share: (before + seen.bytes) / all }
    }
    before += sizes[index] ?? 0
  }
  if (count === 0)
    throw new Failure(
      `${patterns.join(' ')}: no samples here; write a request into a fenced block with the info string http`,
    )
}

/** @throws Failure if there are none. */
export const sampleFiles = (patterns: readonly string[]): readonly string[] => filesOf(patterns, booksIn)

function booksIn(folder: string): readonly string[] {
  const files = globSync('**/*.md', { cwd: folder }).map((file) => `${folder.replace(/\/$/, '')}/${file}`)
  if (files.length === 0) throw new Failure(`${folder}: no sample book in this folder; put a Markdown file there`)
  return files.sort()
}

/** @param seen Counts what has been read of a file that streams by. */
async function* readSamples(file: string, seen: { bytes: number }): AsyncGenerator<Sample> {
  try {
    if (/\.(?:ndjson|jsonl)(?:\.gz)?$/.test(file)) yield* readLines(file, seen)
    else if (file === '-') yield readMessage(await text(process.stdin))
    else yield* (file.endsWith('.har') ? readHar : readBook)(readFileSync(file, 'utf8'))
  } catch (error) {
    if (error instanceof BookError) throw new Failure(`${nameOf(file)}:${error.line}: ${error.message}`)
    if (error instanceof Failure) throw error
    throw new Failure(`${nameOf(file)}: could not be read: ${(error as Error).message}`)
  }
}

async function* readLines(file: string, seen: { bytes: number }): AsyncGenerator<Sample> {
  let number = 0
  for await (const lines of linesOf(file))
    for (const line of lines) {
      seen.bytes += line.length + 1
      const sample = readLine(line, ++number)
      if (sample) yield sample
    }
}

/** A single message, as it stands in a block of a book. */
function readMessage(whole: string): Sample {
  const content = whole.replace(/\r\n?/g, '\n').replace(/\n$/, '')
  if (content.trim() === '')
    throw new Failure('standard input: it is empty; send a request message such as GET /path HTTP/1.1')
  const broken = parseMessage(content)
  if ('reason' in broken) throw new BookError(broken.line, broken.reason)
  const [sample] = readBook(`\`\`\`\`\`\`\`http\n${content}\n\`\`\`\`\`\`\``)
  if (!sample) throw new BookError(1, 'this is no request message')
  return shiftedUp(sample)
}

/** A message alone begins at its first line. */
function shiftedUp(sample: Sample): Sample {
  const up = <P extends { readonly line: number }>(place: P): P => ({ ...place, line: place.line - 1 })
  const { requestLine, headers, body } = sample.places
  return {
    ...sample,
    title: `${sample.message.method} ${sample.message.target.split('?')[0]}`,
    places: {
      requestLine: up(requestLine),
      headers: headers.map((one) => ({ ...one, place: up(one.place) })),
      body: body.map(up),
    },
  }
}

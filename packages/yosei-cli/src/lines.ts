/** The lines of a file as they stream by, so that a file of any size takes no room. */
import { createReadStream } from 'node:fs'
import { StringDecoder } from 'node:string_decoder'
import { createGunzip } from 'node:zlib'
import { Failure } from './failure.js'

export const nameOf = (file: string) => (file === '-' ? 'standard input' : file)

/**
 * The lines of a file, of one that is gzipped, or of standard input (`-`), as many at once as came.
 *
 * @param longest What is longer than any line that says something is cut there.
 * @throws Failure if it cannot be read.
 */
export async function* linesOf(file: string, longest = 50_000_000): AsyncGenerator<readonly string[]> {
  const raw = file === '-' ? process.stdin : createReadStream(file, { highWaterMark: 256 * 1024 })
  const unzip = file.endsWith('.gz') ? createGunzip() : undefined
  if (unzip) raw.on('error', (error: Error) => unzip.destroy(error))
  const decoder = new StringDecoder('utf8')
  let open = ''
  try {
    for await (const chunk of unzip ? raw.pipe(unzip) : raw) {
      const lines = decoder.write(chunk as Buffer).split('\n')
      if (open.length < longest) open += lines[0]
      if (lines.length === 1) continue
      lines[0] = open
      open = lines.pop() as string
      yield lines
    }
  } catch (error) {
    throw new Failure(`${nameOf(file)}: could not be read: ${(error as Error).message}`)
  }
  if (open !== '') yield [open]
}

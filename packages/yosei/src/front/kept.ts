/** Bodies that go on as they came, once they have been judged. */
import { type FileHandle, mkdtemp, open, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { NodeBody } from '../adapt/incoming.js'
import type { Trouble } from '../read/message.js'

/** Keeps what is taken of a body: in memory what is judged as a whole, in a file what is judged as it streams. */
export class KeptBody extends NodeBody {
  #whole: Uint8Array | undefined
  #file: Promise<FileHandle> | undefined

  override async collect(limit: number, milliseconds: number): Promise<Uint8Array | Trouble> {
    const result = await super.collect(limit, milliseconds)
    if (typeof result !== 'string') this.#whole = result
    return result
  }

  override async *chunks(milliseconds: number): AsyncIterable<Uint8Array> {
    this.#file ??= makeFile()
    const file = await this.#file
    for await (const chunk of super.chunks(milliseconds)) {
      await file.write(chunk)
      yield chunk
    }
  }

  /** All of it, if it has come and is in memory. */
  get whole(): Uint8Array | undefined {
    return this.#whole
  }

  /** What was taken, and then what is still to come. */
  async *from(rest: AsyncIterable<Uint8Array>): AsyncIterable<Uint8Array> {
    if (this.#file) {
      const file = await this.#file
      for await (const chunk of file.createReadStream({ start: 0, autoClose: false })) yield chunk as Uint8Array
    }
    yield* this.parts
    yield* rest
  }

  async dispose(): Promise<void> {
    await (await this.#file?.catch(() => undefined))?.close()
  }
}

/** A file without a name: it is gone with its handle, however the process ends. */
async function makeFile(): Promise<FileHandle> {
  const folder = await mkdtemp(join(tmpdir(), 'body-'))
  try {
    return await open(join(folder, 'body'), 'wx+', 0o600)
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/**
 * Forms with files, as they stream in: the files go to a temporary place, which is removed when the request is done.
 */
import { createHash } from 'node:crypto'
import { createReadStream, createWriteStream, rmSync } from 'node:fs'
import { mkdtemp, readdir, readFile, rm, rmdir, unlink } from 'node:fs/promises'
import { hostname, tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Busboy, BusboyConfig } from 'busboy'
import { markUpload, uploadOf } from '../kinds/upload.js'
import {
  type Arrived,
  boundaryIn,
  type FormOrTrouble,
  type FormTerms,
  formValues,
  misplacedFile,
  noBoundary,
  notUtf8,
  roleOfFile,
  textOf,
  unknownType,
} from '../read/form.js'
import { BrokenForm, type FormPart, isUnchosen, PartReader } from '../read/parts.js'
import type { Path } from '../terms/address.js'
import type { Size } from '../terms/declared.js'
import type { Upload } from '../terms/types.js'
import { readSize } from '../terms/units.js'

let isSwept = false
let loading: Promise<(config: BusboyConfig) => Busboy> | undefined
/**
 * Loads what tells the parts of a form apart, before a request needs it: a machine in need can open no file of it.
 *
 * @throws Error if it is not installed, and whatever keeps it from being loaded.
 */
export function prepareForms(): typeof loading & object {
  loading ??= import('busboy').then(
    ({ default: busboy }) => {
      if (!isSwept) sweep()
      isSwept = true
      return busboy
    },
    (cause) => {
      loading = undefined
      throw String(cause?.code).endsWith('MODULE_NOT_FOUND') ? new NotInstalled() : cause
    },
  )
  return loading
}
class NotInstalled extends Error {
  override readonly message =
    "A body of 'multipart/form-data' is declared: it needs the package busboy (npm install busboy)"
}

export async function receiveForm(
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  terms: FormTerms,
): Promise<FormOrTrouble> {
  const busboy = await prepareForms().catch((cause) => ({ failed: cause }))
  if ('failed' in busboy) {
    if (busboy.failed instanceof NotInstalled) throw busboy.failed
    return busboy
  }
  const files = new TemporaryFiles()
  const broken = (reason: string): FormOrTrouble => ({
    values: {},
    json: [],
    dispose: () => files.dispose(),
    broken: reason,
  })
  const { declared, most, mostInAll, mostParts, readPart } = terms
  const named = boundaryIn(terms.contentType)
  if (!named) return broken(noBoundary)
  const reader = new PartReader(named.boundary, most)
  const parser = busboy({
    headers: { 'content-type': named.type },
    defParamCharset: 'utf8',
    limits: { fieldSize: most, fieldNameSize: most },
  })
  const parts = collectParts(parser, reader, terms, files)
  let received = 0
  const ended = new Promise<'ended' | 'broken'>((resolve) => {
    parser.on('close', () => resolve('ended'))
    parser.on('error', () => resolve('broken'))
  })
  const giveUp = async (trouble: FormOrTrouble): Promise<FormOrTrouble> => {
    parser.destroy()
    await files.settled()
    await files.dispose()
    return files.failure ? { failed: files.failure.cause } : trouble
  }
  const coming = Symbol.asyncIterator in chunks ? chunks[Symbol.asyncIterator]() : chunks[Symbol.iterator]()
  try {
    for (;;) {
      const next = Promise.resolve(coming.next())
      // Who waits for more of the body is not waited for where nothing can be kept of it.
      const one = await files.unlessFailed(next)
      if (one === 'failed') {
        next.catch(() => undefined)
        return giveUp('broken')
      }
      if (one.done) break
      received += one.value.length
      const goesOn = parser.write(reader.read(one.value))
      // Which file is too large shows when it has taken what came.
      if (received > mostInAll) await Promise.race([files.overgrown, sleep(100)])
      const trouble =
        files.oversized ??
        (parts.areTooLarge
          ? 'texts_too_large'
          : received > mostInAll
            ? 'too_large'
            : reader.parts.length > mostParts
              ? 'too_many_parts'
              : undefined)
      if (trouble) {
        Promise.resolve(coming.return?.()).catch(() => undefined)
        return giveUp(trouble)
      }
      if (goesOn) continue
      const drained = new Promise<'drained'>((resolve) => parser.once('drain', () => resolve('drained')))
      if ((await files.unlessFailed(Promise.race([drained, ended]))) === 'broken')
        return giveUp(broken('its parts cannot be separated'))
    }
  } catch (error) {
    if (error === 'late' || error === 'broken') return giveUp(error)
    Promise.resolve(coming.return?.()).catch(() => undefined)
    return giveUp(broken(error instanceof BrokenForm ? error.message : 'its parts cannot be separated'))
  }
  if (!reader.hasEnded) return giveUp(broken('it ends inside a part'))
  parser.end()
  const end = await files.unlessFailed(ended)
  const areWritten = end !== 'failed' && (await files.settled())
  if (files.failure) return giveUp('broken')
  if (end === 'broken' || !areWritten) return giveUp(broken('it ends inside a part'))
  if (files.oversized) return giveUp(files.oversized)
  if (parts.areTooLarge) return giveUp('texts_too_large')
  // Nothing is lost in silence, whatever the parser makes of a part.
  if (parts.count !== reader.parts.length) return giveUp(broken('its parts cannot be separated'))
  if (parts.wrong) return giveUp(broken(parts.wrong))
  const arrived = parts.arrived.filter((one) => one !== undefined)
  return { ...formValues(arrived, declared, readPart), dispose: () => files.dispose() }
}

/** What the parser tells, in its order; a file stands where it came, though it is written later. */
function collectParts(parser: Busboy, reader: PartReader, terms: FormTerms, files: TemporaryFiles) {
  const parts = {
    arrived: [] as (Arrived | undefined)[],
    count: 0,
    /** Bytes of what came as a file, and is kept like a text. */
    bytes: 0,
    get areTooLarge() {
      return parts.bytes + reader.textBytes > terms.most
    },
    wrong: undefined as string | undefined,
  }
  const { arrived } = parts
  const next = () => reader.parts[parts.count++] ?? unknownPart
  parser.on('field', () => {
    // Its text is the reader's: a parser would put up with what is no UTF-8.
    const part = next()
    const { name, type, text } = part
    if (!isUnchosen(part)) arrived.push({ name, value: text, ...(type ? { type } : {}) })
  })
  parser.on('file', (_, stream) => {
    // A form that breaks off breaks its file, whether that is being read already or not.
    stream.on('error', () => undefined)
    const part = next()
    const { name, filename = '', type } = part
    const { limit, isElement, ...role } = roleOfFile(terms, name, type)
    const index = arrived.filter((one) => one?.name === name).length
    const at = arrived.push({ name, value: undefined }) - 1
    const put = (value: unknown) => {
      arrived[at] = isUnchosen(part) ? undefined : { name, value, ...(type ? { type } : {}) }
    }
    if (limit !== undefined)
      files.write(stream, limit, isElement ? [name, index] : [name], (path, size) =>
        put(uploadAt(path, filename, type ?? unknownType, size)),
      )
    else collect(stream, role, (content) => put(smallValue(content)))
    /** What comes with the name of a file, and is none: JSON, or what no field takes. */
    function smallValue(content: Uint8Array): unknown {
      if (role.isMisplaced) return misplacedFile()
      if (!role.isText) return uploadOf(filename, type ?? unknownType, content)
      const text = textOf(content)
      if (text === undefined) parts.wrong ??= notUtf8
      return text
    }
  })
  function collect(
    stream: Readable,
    { isSmall }: { readonly isSmall: boolean },
    done: (content: Uint8Array) => void,
  ): void {
    let chunks: Uint8Array[] = []
    stream.on('data', (chunk: Uint8Array) => {
      if (!isSmall) return
      parts.bytes += chunk.length
      if (parts.areTooLarge) chunks = []
      else chunks.push(chunk)
    })
    stream.on('end', () => done(Buffer.concat(chunks)))
  }
  return parts
}
const unknownPart: FormPart = {
  name: '',
  filename: undefined,
  isNameless: false,
  isEmpty: true,
  type: undefined,
  text: '',
  content: [],
}

let folders: Set<string> | undefined
/** A folder of its own, which goes with the process at the latest: a verdict may be held until then. */
async function makeFolder(): Promise<string> {
  const folder = await mkdtemp(join(tmpdir(), `upload-${process.pid}-${machine()}-`))
  if (!folders) {
    folders = new Set()
    process.once('exit', removeFolders)
  }
  folders.add(folder)
  return folder
}
/** Processes on another machine, or in another container, may have the same folder for what is temporary. */
const machine = () => createHash('sha256').update(hostname()).digest('hex').slice(0, 8)

/** Removes what processes have left that were killed. */
async function sweep(): Promise<void> {
  const names = await readdir(tmpdir()).catch(() => [])
  for (const name of names) {
    const [, pid, where] = /^upload-(\d+)-([0-9a-f]{8})-/.exec(name) ?? []
    if (pid === undefined || where !== machine() || isAlive(Number(pid))) continue
    await rm(join(tmpdir(), name), { recursive: true, force: true }).catch(() => undefined)
  }
}
function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as { code?: string }).code !== 'ESRCH'
  }
}

function removeFolders(): void {
  for (const folder of folders ?? []) rmSync(folder, { recursive: true, force: true })
}

/** The files of one form, in a folder that is made when the first of them comes. */
class TemporaryFiles {
  readonly #written: Promise<boolean>[] = []
  readonly #paths: string[] = []
  #folder: Promise<string> | undefined
  /** Why this machine could not keep a file: no fault of who sent it. */
  failure: { readonly cause: unknown } | undefined
  /** The first file that has more bytes than its field takes. */
  oversized: { readonly oversized: Path; readonly limit: Size } | undefined
  #overgrow: () => void = () => undefined
  readonly overgrown = new Promise<void>((resolve) => {
    this.#overgrow = resolve
  })
  #fail: () => void = () => undefined

  /** What comes, unless a file cannot be kept before. A race with a promise for that would keep all that came. */
  unlessFailed<T>(coming: Promise<T>): Promise<T | 'failed'> {
    return new Promise((resolve, reject) => {
      const fail = () => resolve('failed')
      this.#fail = fail
      if (this.failure) resolve('failed')
      else coming.then(resolve, reject)
    })
  }

  write(stream: Readable, limit: Size, place: Path, done: (path: string, size: number) => void): void {
    // It is not awaited while the form is still coming, so it never rejects.
    this.#written.push(this.#write(stream, limit, place, done).then(isTrue, isFalse))
  }

  async #write(stream: Readable, limit: Size, place: Path, done: (path: string, size: number) => void): Promise<void> {
    const most = readSize(limit)
    const fails = (cause: unknown) => {
      this.failure ??= { cause }
      this.#fail()
    }
    this.#folder ??= makeFolder()
    const folder = await this.#folder.catch((cause) => {
      fails(cause)
      throw cause
    })
    const oversized = () => {
      this.oversized ??= { oversized: place, limit }
      this.#overgrow()
    }
    const path = join(folder, String(this.#paths.length))
    this.#paths.push(path)
    const file = createWriteStream(path)
    // A file that is given up may still be on its way to being opened: only when it is closed can it be removed.
    const closed = new Promise<void>((resolve) => file.once('close', resolve))
    file.on('error', (cause) => {
      // What breaks the form off ends the file with the same error.
      if (cause !== stream.errored) fails(cause)
    })
    let size = 0
    await pipeline(
      stream,
      async function* (source) {
        for await (const chunk of source) {
          size += (chunk as Uint8Array).length
          // What is beyond the limit is not kept.
          if (size <= most) yield chunk
          else oversized()
        }
      },
      file,
    ).finally(() => closed)
    done(path, size)
  }

  /** Waits until nothing is being written any more; whether all was. */
  async settled(): Promise<boolean> {
    return (await Promise.all(this.#written)).every((isWritten) => isWritten)
  }

  /** By their names: to look into the folder takes a file descriptor, and a machine in need may have none. */
  async dispose(): Promise<void> {
    const folder = await this.#folder?.catch(() => undefined)
    if (folder === undefined) return
    for (const path of this.#paths.splice(0)) await unlink(path).catch(() => undefined)
    await rmdir(folder).catch(() => undefined)
    folders?.delete(folder)
  }
}
const isTrue = () => true
const isFalse = () => false

function uploadAt(path: string, name: string, type: string, bytes: number): Upload {
  return markUpload({
    name,
    type,
    bytes,
    stream: () => Readable.toWeb(createReadStream(path)) as ReadableStream<Uint8Array>,
    bytesNow: async () => new Uint8Array(await readFile(path)),
  })
}

/** Forms with files, as they stream in: the files go to a temporary place, which is removed when the request is done. */
import { createReadStream, createWriteStream } from 'node:fs'
import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { type RecordNode, sentShape } from '../declare/node.js'
import type { Upload } from '../declare/types.js'
import { readSize } from '../declare/units.js'
import type { FormOrTrouble } from '../read/form.js'
import { markUpload } from '../read/upload.js'
import { addFormValue, type Values } from '../read/values.js'

/** Parts of a form, whatever they carry: far more than a form has, far less than would fill the memory. */
const mostParts = 1000

/**
 * @param most Bytes of all parts but the files; a file has the limit that its declaration sets, else this.
 * @param mostInAll Bytes of everything.
 */
export async function receiveForm(
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  contentType: string,
  declared: RecordNode,
  most: number,
  mostInAll: number,
): Promise<FormOrTrouble> {
  const { default: busboy } = await import('busboy').catch(() => {
    throw new Error("A body of 'multipart/form-data' is declared: it needs the package busboy (npm install busboy)")
  })
  const values: Values = {}
  let folder: Promise<string> | undefined
  const dispose = async () => {
    if (folder !== undefined) await rm(await folder, { recursive: true, force: true })
  }
  let parser: ReturnType<typeof busboy>
  try {
    parser = busboy({
      headers: { 'content-type': contentType },
      defParamCharset: 'utf8',
      limits: { fieldSize: most, fieldNameSize: 200, parts: mostParts, headerPairs: 50 },
    })
  } catch {
    return { values, dispose, broken: 'the boundary of its parts is not given' }
  }

  let bytes = 0
  let received = 0
  let trouble: 'too_large' | undefined
  const written: Promise<void>[] = []
  // A file stands where it came among the values, though it is written later.
  const arrived: (readonly [name: string, value: unknown])[] = []
  parser.on('field', (name, value, { nameTruncated, valueTruncated }) => {
    bytes += Buffer.byteLength(name) + Buffer.byteLength(value)
    if (nameTruncated || valueTruncated || bytes > most) trouble = 'too_large'
    else arrived.push([name, value])
  })
  parser.on('partsLimit', () => {
    trouble = 'too_large'
  })
  parser.on('file', (name, stream, { filename = '', mimeType }) => {
    // A form that breaks off breaks its file, whether somebody reads that already or not.
    stream.on('error', () => undefined)
    const limit = Object.hasOwn(declared.fields, name) ? fileLimit(declared.fields[name] as never, most) : undefined
    // Browsers send an empty file without a name where none was chosen.
    if (limit === undefined || (filename === '' && mimeType === 'application/octet-stream')) {
      stream.resume()
      if (limit === undefined) arrived.push([name, ''])
      return
    }
    const at = arrived.push([name, undefined]) - 1
    written.push(
      (async () => {
        folder ??= mkdtemp(join(tmpdir(), 'upload-'))
        const path = join(await folder, String(at))
        let size = 0
        await pipeline(
          stream,
          async function* (source) {
            for await (const chunk of source) {
              size += (chunk as Uint8Array).length
              // What is beyond the limit is counted, not kept: the field's error says that it is too large.
              if (size <= limit) yield chunk
            }
          },
          createWriteStream(path),
        )
        arrived[at] = [name, uploadAt(path, filename, mimeType, size)]
      })(),
    )
  })
  const ended = new Promise<void>((resolve, reject) => {
    parser.on('close', resolve)
    parser.on('error', reject)
  })
  // Both are looked at below; until then neither may count as unhandled.
  ended.catch(() => undefined)
  try {
    for await (const chunk of chunks) {
      received += chunk.length
      if (received > mostInAll) trouble = 'too_large'
      if (trouble) break
      if (!parser.write(chunk)) await Promise.race([new Promise((resolve) => parser.once('drain', resolve)), ended])
    }
  } catch (error) {
    parser.destroy()
    await Promise.allSettled(written)
    if (error === 'late' || error === 'broken') {
      await dispose()
      return error
    }
    return { values, dispose, broken: 'its parts cannot be told apart' }
  }
  if (trouble) {
    parser.destroy()
    await Promise.allSettled(written)
    await dispose()
    return trouble
  }
  parser.end()
  try {
    await ended
    await Promise.all(written)
  } catch {
    await Promise.allSettled(written)
    return { values, dispose, broken: 'it ends inside a part' }
  }
  if (trouble) {
    await dispose()
    return trouble
  }
  for (const [name, value] of arrived) addFormValue(values, name, value, declared)
  return { values, dispose }
}

/** The limit of a declared file; `undefined` where the field is none. */
function fileLimit(field: RecordNode['fields'][string], most: number): number | undefined {
  const shape = sentShape(field)
  if (shape.kind === 'list') return fileLimit(shape.item, most)
  return shape.kind === 'file' ? readSize(shape.bytes ?? most) : undefined
}

function uploadAt(path: string, name: string, type: string, bytes: number): Upload {
  return markUpload({
    name,
    type,
    bytes,
    stream: () => Readable.toWeb(createReadStream(path)) as ReadableStream<Uint8Array>,
    bytesNow: async () => new Uint8Array(await readFile(path)),
  })
}

/** What a platform with the web's interfaces does for the library, if Node does not. */
import { uploadOf } from '../kinds/upload.js'
import { keepTimersApart } from '../read/deadline.js'
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
import { collect, joinBytes } from '../read/message.js'
import { BrokenForm, isUnchosen, PartReader } from '../read/parts.js'
import { readSize } from '../terms/units.js'

keepTimersApart()

/** Undoes a content coding; at most so many bytes come of it. */
export async function decode(
  bytes: Uint8Array,
  coding: 'gzip' | 'deflate' | 'br',
  most: number,
): Promise<Uint8Array | 'too_large' | 'broken'> {
  // Where a platform does not know Brotli, the coding is as broken to it.
  try {
    const plain = new Blob([bytes as Uint8Array<ArrayBuffer>])
      .stream()
      .pipeThrough(new DecompressionStream(coding as CompressionFormat))
    const decoded = await collect(plain as AsyncIterable<Uint8Array>, most)
    return decoded === 'late' ? 'broken' : decoded
  } catch {
    return 'broken'
  }
}

/** There is nothing to load. */
export const prepareForms = async () => undefined

/** Holds the files in memory. The limits are those of every platform. */
export async function receiveForm(
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  terms: FormTerms,
): Promise<FormOrTrouble> {
  const { contentType, declared, most, mostInAll, mostParts, readPart } = terms
  const bytes = await collect(chunks as AsyncIterable<Uint8Array>, mostInAll)
  if (typeof bytes === 'string') return bytes
  const broken = (reason: string) => ({ values: {}, json: [], dispose: async () => undefined, broken: reason })
  const named = boundaryIn(contentType)
  if (!named) return broken(noBoundary)
  // The platform's own parser of forms reads some lines of a text as a boundary, and puts up with what is no UTF-8.
  const reader = new PartReader(named.boundary, most, true)
  try {
    reader.read(bytes)
  } catch (error) {
    if (error instanceof BrokenForm) return broken(error.message)
    throw error
  }
  if (reader.textBytes > most) return 'texts_too_large'
  if (reader.parts.length > mostParts) return 'too_many_parts'
  if (!reader.hasEnded) return broken('it ends inside a part')
  const arrived: Arrived[] = []
  let length = reader.textBytes
  for (const part of reader.parts) {
    const { name, filename, type, text, content } = part
    if (isUnchosen(part)) continue
    if (filename === undefined) {
      arrived.push({ name, value: text, ...(type ? { type } : {}) })
      continue
    }
    const bytes = joinBytes(content)
    const { limit, isText, isSmall, isMisplaced, isElement } = roleOfFile(terms, name, type)
    if (limit !== undefined && bytes.length > readSize(limit)) {
      const index = arrived.filter((one) => one.name === name).length
      return { oversized: isElement ? [name, index] : [name], limit }
    }
    if (isSmall) length += bytes.length
    if (length > most) return 'texts_too_large'
    const value = isMisplaced
      ? misplacedFile()
      : isText
        ? textOf(bytes)
        : uploadOf(filename, type ?? unknownType, bytes)
    if (value === undefined) return broken(notUtf8)
    arrived.push({ name, value, ...(type ? { type } : {}) })
  }
  return { ...formValues(arrived, declared, readPart), dispose: async () => undefined }
}

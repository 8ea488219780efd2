/** What a platform with the web's interfaces does for the library, where Node does not. */
import type { Node } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import { sentShape } from '../kinds/shape.js'
import { uploadOf } from '../kinds/upload.js'
import { type Arrived, type FormOrTrouble, fileLimit, formValues, isJsonType, type ReadPart } from '../read/form.js'
import { collect } from '../read/message.js'
import { readSize } from '../terms/units.js'

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

/** Parts of a form, whatever they carry. */
const mostParts = 1000

/** There is nothing to load. */
export const prepareForms = async () => undefined

/** Holds the files in memory. The limits are those of every platform. */
export async function receiveForm(
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  contentType: string,
  declared: RecordNode,
  most: number,
  mostInAll: number,
  readPart: ReadPart,
): Promise<FormOrTrouble> {
  const bytes = await collect(chunks as AsyncIterable<Uint8Array>, mostInAll)
  if (typeof bytes === 'string') return bytes
  const dispose = async () => undefined
  let form: FormData
  try {
    form = await new Response(bytes as Uint8Array<ArrayBuffer>, { headers: { 'content-type': contentType } }).formData()
  } catch {
    return { values: {}, json: [], dispose, broken: 'its parts cannot be told apart' }
  }
  const arrived: Arrived[] = []
  let length = 0
  let parts = 0
  for (const [name, value] of form) {
    const field = Object.hasOwn(declared.fields, name) ? sentShape(declared.fields[name] as Node) : undefined
    const limit = field && fileLimit(field, most)
    const isText = typeof value === 'string' || (limit === undefined && field !== undefined && isJsonType(value.type))
    if (isText) length += typeof value === 'string' ? new TextEncoder().encode(name + value).length : value.size
    if (length > most || ++parts > mostParts) return 'texts_too_large'
    if (typeof value !== 'string' && limit !== undefined && value.size > readSize(limit))
      return { oversized: field?.kind === 'list' ? [name, form.getAll(name).indexOf(value)] : [name], limit }
    if (typeof value === 'string') arrived.push({ name, value })
    else if (limit === undefined) arrived.push({ name, value: isText ? await value.text() : '', type: value.type })
    else arrived.push({ name, value: uploadOf(value.name, value.type, new Uint8Array(await value.arrayBuffer())) })
  }
  return { ...formValues(arrived, declared, readPart), dispose }
}

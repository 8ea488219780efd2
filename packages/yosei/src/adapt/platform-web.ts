/** What a platform with the web's interfaces does for the library, where Node does not. */
import type { RecordNode } from '../kinds/record.js'
import { uploadOf } from '../kinds/upload.js'
import type { FormOrTrouble } from '../read/form.js'
import { collect } from '../read/message.js'
import { addFormValue, type Values } from '../read/values.js'

/** Undoes a content coding; at most so many bytes come of it. */
export async function decode(
  bytes: Uint8Array,
  coding: 'gzip' | 'deflate' | 'br',
  most: number,
): Promise<Uint8Array | 'too_large' | 'broken'> {
  // Where a platform does not know Brotli, the coding is as broken to it.
  try {
    const plain = new Blob([bytes as Uint8Array<ArrayBuffer>]).stream().pipeThrough(new DecompressionStream(coding as CompressionFormat))
    const decoded = await collect(plain as unknown as AsyncIterable<Uint8Array>, most)
    return decoded === 'late' ? 'broken' : decoded
  } catch {
    return 'broken'
  }
}

/** Holds the files in memory. */
export async function receiveForm(
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  contentType: string,
  declared: RecordNode,
): Promise<FormOrTrouble> {
  const bytes = await collect(chunks as AsyncIterable<Uint8Array>, Number.POSITIVE_INFINITY)
  if (typeof bytes === 'string') return bytes
  const values: Values = {}
  const dispose = async () => undefined
  try {
    const form = await new Response(bytes as Uint8Array<ArrayBuffer>, { headers: { 'content-type': contentType } }).formData()
    for (const [name, value] of form)
      addFormValue(
        values,
        name,
        typeof value === 'string' ? value : uploadOf(value.name, value.type, new Uint8Array(await value.arrayBuffer())),
        declared,
      )
    return { values, dispose }
  } catch {
    return { values, dispose, broken: 'its parts cannot be told apart' }
  }
}

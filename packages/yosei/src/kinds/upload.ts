/** Files that came with a request. */
import type { Upload } from '../terms/types.js'

/** Files that the library received itself: a program's look-alike is none. */
const uploads = new WeakSet<object>()

export function markUpload<U extends Upload>(upload: U): U {
  uploads.add(upload)
  return upload
}
export const isUpload = (value: unknown): value is Upload =>
  typeof value === 'object' && value !== null && uploads.has(value)

/** A file whose bytes are in memory. */
export function uploadOf(name: string, type: string, content: Uint8Array): Upload {
  return markUpload({
    name,
    type,
    bytes: content.length,
    stream: () => new Blob([content as Uint8Array<ArrayBuffer>]).stream(),
    bytesNow: async () => content,
  })
}

/** What Node does for the library. Elsewhere it is `platform-web.ts`: see the package's `imports`. */
import { promisify } from 'node:util'
import { brotliDecompress, gunzip, inflate } from 'node:zlib'

export { prepareForms, receiveForm } from './multipart.js'

const decoders = { gzip: promisify(gunzip), deflate: promisify(inflate), br: promisify(brotliDecompress) }

/** Undoes a content coding; at most so many bytes come of it. */
export async function decode(
  bytes: Uint8Array,
  coding: keyof typeof decoders,
  most: number,
): Promise<Uint8Array | 'too_large' | 'broken'> {
  try {
    return await decoders[coding](bytes, { maxOutputLength: Math.max(1, most) })
  } catch (error) {
    return (error as { code?: string }).code === 'ERR_BUFFER_TOO_LARGE' ? 'too_large' : 'broken'
  }
}

/** What Node does for the library. Elsewhere it is `platform-web.ts`: see the package's `imports`. */
import { promisify } from 'node:util'
import { brotliDecompress, gunzip, inflate } from 'node:zlib'

export { prepareForms, receiveForm } from './multipart.js'

type Decoded = { readonly buffer: Uint8Array; readonly engine: { readonly bytesWritten: number } }
type Decoder = (bytes: Uint8Array, options: { maxOutputLength: number; info: true }) => Promise<Decoded>

const decoders = { gzip: promisify(gunzip), deflate: promisify(inflate), br: promisify(brotliDecompress) }

/** Undoes a content coding; at most so many bytes come of it. Bytes behind the coded ones make it broken. */
export async function decode(
  bytes: Uint8Array,
  coding: keyof typeof decoders,
  most: number,
): Promise<Uint8Array | 'too_large' | 'broken'> {
  try {
    // Node's types do not know `info`, which says how many of the bytes were read.
    const decoder = decoders[coding] as unknown as Decoder
    const { buffer, engine } = await decoder(bytes, { maxOutputLength: Math.max(1, most), info: true })
    return engine.bytesWritten === bytes.length ? buffer : 'broken'
  } catch (error) {
    return (error as { code?: string }).code === 'ERR_BUFFER_TOO_LARGE' ? 'too_large' : 'broken'
  }
}

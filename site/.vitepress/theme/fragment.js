/** A declaration and a request as the fragment of an address: JSON, deflated, in base64url. */
const through = async (bytes, stream) =>
  new Uint8Array(await new Response(new Blob([bytes]).stream().pipeThrough(stream)).arrayBuffer())

export async function pack(kept) {
  const bytes = await through(new TextEncoder().encode(JSON.stringify(kept)), new CompressionStream('deflate-raw'))
  let text = ''
  for (const byte of bytes) text += String.fromCharCode(byte)
  return btoa(text).replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '')
}

/** `undefined` if it is no fragment of the playground. */
export async function unpack(fragment) {
  if (fragment === undefined) return undefined
  try {
    const bytes = Uint8Array.from(atob(fragment.replaceAll('-', '+').replaceAll('_', '/')), (one) => one.charCodeAt(0))
    const { source, request = '' } = JSON.parse(
      new TextDecoder().decode(await through(bytes, new DecompressionStream('deflate-raw'))),
    )
    return typeof source === 'string' && typeof request === 'string' ? { source, request } : undefined
  } catch {
    return undefined
  }
}

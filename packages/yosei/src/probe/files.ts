/** Files whose content is known without waiting for it. */

const contents = new WeakMap<Blob, string>()

/** @param type A media type, or a range of them. */
export function makeFile(type: string, bytes: number): File {
  const [kind = '', sub = ''] = type.split('/')
  const whole = sub === '*' ? (usual[kind] ?? `${kind === '*' ? 'application' : kind}/octet-stream`) : type
  const content = 'x'.repeat(bytes)
  const file = new File([content], `file.${whole.split('/')[1]?.replace(/^.*[.+-]/, '')}`, { type: whole })
  contents.set(file, content)
  return file
}
const usual: { readonly [kind: string]: string } = {
  image: 'image/png',
  text: 'text/plain',
  audio: 'audio/mpeg',
  video: 'video/mp4',
}

/** What a file that was made holds. */
export const contentOf = (file: Blob): string => contents.get(file) ?? ''

/** Files whose content is known without waiting for it. */

import { formPieces, type OutgoingPart } from '../read/form.js'
import { Unmakeable } from './pick.js'

const contents = new WeakMap<Blob, string>()

/** Larger files are not made. */
export const largestFile = 20_000_000

/**
 * @param type A media type, or a range of them.
 * @throws Unmakeable if it is too large.
 */
export function makeFile(type: string, bytes: number): File {
  if (bytes > largestFile) throw new Unmakeable('files of more than 20 MB are not made')
  const whole = oneIn(type)
  const content = 'x'.repeat(bytes)
  const file = new File([content], `file.${whole.split('/')[1]?.replace(/^.*[.+-]/, '')}`, { type: whole })
  contents.set(file, content)
  return file
}
/** A media type in a range. */
export function oneIn(range: string): string {
  const [kind = '', sub = ''] = range.split('/')
  return sub === '*' ? (usual[kind] ?? `${kind === '*' ? 'application' : kind}/octet-stream`) : range
}
const usual: { readonly [kind: string]: string } = {
  image: 'image/png',
  text: 'text/plain',
  audio: 'audio/mpeg',
  video: 'video/mp4',
}

/** What a file that was made holds. */
export const contentOf = (file: Blob): string => contents.get(file) ?? ''

const boundary = 'part-of-a-probe'
export const formType = `multipart/form-data; boundary=${boundary}`

/** A form whose files have a content that is known: JSON where a value is an object. */
export function formOf(values: unknown): string {
  const parts = Object.entries(values as object).flatMap(([name, value]) =>
    (Array.isArray(value) ? value : [value]).flatMap((one): OutgoingPart<string>[] => {
      if (one === undefined || one === null) return []
      if (one instanceof File) return [{ name, filename: one.name, type: one.type, content: contentOf(one) }]
      if (typeof one !== 'object') return [{ name, content: String(one) }]
      return [{ name, type: 'application/json', content: JSON.stringify(one) }]
    }),
  )
  return formPieces(parts, boundary).join('')
}

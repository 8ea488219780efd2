/** The bytes of a body → the values that its declaration reads. */

import type { BodyNode } from '../declare/endpoint.js'
import type { RecordNode } from '../kinds/record.js'
import { sentShape } from '../kinds/shape.js'
import { uploadOf } from '../kinds/upload.js'
import type { Path } from '../terms/address.js'
import { readJson, repeatedNames } from './json.js'
import { pairValues } from './values.js'

interface ReadFault {
  readonly code: string
  readonly variant?: string
  /** What its words speak of. */
  readonly about?: { readonly [name: string]: unknown }
  /** Where in the body it is. */
  readonly below?: Path
}
/** A body that could not be read, and why. */
export class Unreadable {
  constructor(readonly faults: readonly ReadFault[]) {}
}

/** An address with more steps than any declaration has tells nobody more. */
const deepestTold = 64

const utf8 = new TextDecoder('utf-8', { fatal: true })

/** The value of a body that is not empty. `contentType` is as it was sent. */
export function readBody(body: string | Uint8Array, { syntax, node }: BodyNode, contentType: string, uniqueNames = false): unknown {
  if (syntax === 'raw') return uploadOf('', contentType, typeof body === 'string' ? new TextEncoder().encode(body) : body)
  const text = typeof body === 'string' ? body : decodeUtf8(body)
  if (text === undefined) return new Unreadable([{ code: 'bad_syntax', variant: 'utf8' }])
  if (syntax === 'text') return text
  if (syntax === 'form') {
    let broken = false
    const values = pairValues(text, sentShape(node) as RecordNode, () => {
      broken = true
    })
    return broken ? new Unreadable([{ code: 'bad_encoding' }]) : (values ?? {})
  }
  const read = readJson(text)
  if (!('value' in read)) return new Unreadable([{ code: 'bad_syntax', about: { ...read } }])
  const repeated = uniqueNames ? repeatedNames(text, 50) : []
  if (repeated.length > 0)
    return new Unreadable(repeated.map((path) => ({ code: 'sent_twice', variant: 'name', below: path.slice(0, deepestTold) })))
  return read.value
}

function decodeUtf8(bytes: Uint8Array): string | undefined {
  try {
    return utf8.decode(bytes)
  } catch {
    return undefined
  }
}

/** What comes of a `multipart/form-data` body (RFC 7578). */

import type { Node } from '../kinds/kind.js'
import { sentShape } from '../kinds/shape.js'
import type { Path } from '../terms/address.js'
import type { Size } from '../terms/declared.js'
import type { Trouble } from './message.js'
import type { Values } from './values.js'

interface Form {
  readonly values: Values
  /** Why it is no form. */
  readonly broken?: string
  /** Removes the files. */
  dispose(): Promise<void>
}
/** Why the machine could not keep it: no fault of who sent it. */
interface Failed {
  readonly failed: unknown
}
/** A file that has more bytes than its field takes; one of several where it has an index. */
interface Oversized {
  readonly oversized: Path
  readonly limit: Size
}
/** Its texts have more bytes than a body may have. */
export type FormOrTrouble = Form | Trouble | Failed | Oversized | 'texts_too_large'

/** The limit of a declared file; `undefined` where the field is none. */
export function fileLimit(field: Node, most: number): Size | undefined {
  const shape = sentShape(field)
  if (shape.kind === 'list') return fileLimit(shape.item, most)
  return shape.kind === 'file' ? (shape.bytes ?? most) : undefined
}

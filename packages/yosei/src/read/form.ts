/** What comes of a `multipart/form-data` body (RFC 7578). */
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
export type FormOrTrouble = Form | Trouble | Failed

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
export type FormOrTrouble = Form | Trouble

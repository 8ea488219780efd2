/** What many tests of one endpoint need. */
import { endpoint, type Field, judge } from 'yosei'

/** The errors of a verdict, a line each. */
export const told = (verdict: {
  outcome: string
  errors?: readonly { address: string; code: string; message: string }[]
}) => verdict.errors?.map(({ address, code, message }) => `${address} ${code}: ${message}`)
export const json = { 'content-type': 'application/json' }
export const one = (body: Field, more = {}) => endpoint('POST /', { body, ...more } as never)
export const put = (app: object, body: string | Uint8Array, headers: object = json) =>
  judge(app as never, { method: 'POST', target: '/', headers: headers as never, body })

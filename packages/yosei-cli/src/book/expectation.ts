/** What a verdict block asks for, and whether a verdict is so. */
import { type AcceptedVerdict, type Path, type PendingVerdict, parseAddress, type Rejected } from 'yosei'
import { BookError } from './error.js'
import { masked } from './masked.js'

/** A verdict on whatever endpoint. */
export type AnyVerdict = AcceptedVerdict<string, unknown> | PendingVerdict<string, unknown> | Rejected

export type Expectation =
  | {
      readonly outcome: 'accepted' | 'pending'
      readonly values: readonly { readonly address: string; readonly path: Path; readonly value: unknown }[]
    }
  | {
      readonly outcome: 'rejected'
      readonly status: number
      /** `undefined`: any errors. */
      readonly errors?: readonly { readonly address: string; readonly code?: string }[]
      /** Others may come too. */
      readonly others: boolean
    }

/** @throws BookError if a line makes no sense. */
export function readExpectation(
  lines: readonly { readonly text: string; readonly line: number }[],
  blockLine: number,
): Expectation {
  const [head, ...rest] = lines
    .filter(({ text }) => text.trim() !== '')
    .map(({ text, line }) => ({ text: text.trim(), line }))
  if (!head) throw new BookError(blockLine, 'this verdict block is empty; write accepted or a status on its first line')
  if (head.text === 'accepted' || head.text === 'pending')
    return { outcome: head.text, values: rest.map(({ text, line }) => readValue(text, line)) }
  if (!/^[45]\d\d$/.test(head.text))
    throw new BookError(head.line, `"${head.text}" is no verdict; write accepted, pending or a status such as 422`)
  const others = rest.at(-1)?.text === '…'
  const errors = (others ? rest.slice(0, -1) : rest).map(({ text, line }) => {
    const [address = '', code, ...more] = text.split(/\s+/)
    if (!parseAddress(address) || more.length > 0)
      throw new BookError(line, `"${text}" is no error; write an address and a code, or … on the last line`)
    return code === undefined ? { address } : { address, code }
  })
  return { outcome: 'rejected', status: Number(head.text), others, ...(rest.length > 0 ? { errors } : {}) }
}

function readValue(text: string, line: number) {
  const [, address = '', json = ''] = /^(\S+)\s*=\s*(.*)$/.exec(text) ?? []
  const path = parseAddress(address)
  try {
    if (path) return { address, path, value: JSON.parse(json) as unknown }
  } catch {
    // told below
  }
  throw new BookError(line, `"${text}" asserts nothing; write an address, =, and a JSON value: query.limit = 20`)
}

/** What a verdict lacks of an expectation, in lines; none if it is as expected. */
export function compare(
  expectation: Expectation,
  verdict: AnyVerdict,
  /** Whether the value at an address may be reported. */
  isShown: (address: string) => boolean = () => true,
): string[] {
  if (
    expectation.outcome !== verdict.outcome ||
    (expectation.outcome === 'rejected' && verdict.outcome === 'rejected' && expectation.status !== verdict.status)
  ) {
    return [
      `wanted ${expectation.outcome === 'rejected' ? expectation.status : expectation.outcome}, but it came ${verdict.outcome === 'rejected' ? verdict.status : verdict.outcome}`,
    ]
  }
  if (expectation.outcome !== 'rejected') {
    const { input } = verdict as AcceptedVerdict<string, unknown>
    return expectation.values.flatMap(({ address, path, value }) => {
      const came = valueAt(input, path)
      const show = (one: unknown) => (isShown(address) ? JSON.stringify(one) : masked)
      return same(value, came)
        ? []
        : [`wanted ${address} = ${show(value)}, but it came ${came === undefined ? 'absent' : show(came)}`]
    })
  }
  return errorFaults(expectation, (verdict as Rejected).errors)
}

/** What errors lack of those that are expected, and which others came, in lines. */
export function errorFaults(
  { errors, others }: Expectation & { readonly outcome: 'rejected' },
  told: readonly { readonly address: string; readonly code: string }[],
): string[] {
  if (!errors) return []
  const came = [...told]
  // The lines that name a code take their errors first, so that a line without one takes what is left.
  const lines = [...errors].sort((a, b) => Number(a.code === undefined) - Number(b.code === undefined))
  const missing = lines.filter(({ address, code }) => {
    const index = came.findIndex((error) => error.address === address && (code === undefined || error.code === code))
    if (index >= 0) came.splice(index, 1)
    return index < 0
  })
  return [
    ...missing.map(({ address, code }) => `wanted ${address}${code ? ` ${code}` : ''}, but it did not come`),
    ...(others ? [] : came.map(({ address, code }) => `${address} ${code} came, but was not wanted`)),
  ]
}

/** The value at an address of an accepted input, as a line of a book has it; `undefined` if there is none. */
export function valueShown(verdict: AnyVerdict, address: string): string | undefined {
  const path = parseAddress(address)
  if (verdict.outcome === 'rejected' || !path) return undefined
  const value = valueAt(verdict.input, path)
  return value === undefined ? undefined : JSON.stringify(value)
}

const valueAt = (root: unknown, path: Path) =>
  path.reduce<unknown>(
    (value, key) =>
      typeof value === 'object' && value !== null && Object.hasOwn(value, key)
        ? (value as Record<string | number, unknown>)[key]
        : undefined,
    root,
  )

/** Whether a value as read is the JSON value; an instant is its RFC 3339 text in UTC. */
function same(wanted: unknown, came: unknown): boolean {
  if (came instanceof Date)
    return typeof wanted === 'string' && /z$/i.test(wanted) && Date.parse(wanted) === came.getTime()
  if (typeof wanted !== 'object' || typeof came !== 'object' || wanted === null || came === null) return wanted === came
  const [a, b] = [Object.entries(wanted), Object.keys(came)]
  return (
    Array.isArray(wanted) === Array.isArray(came) &&
    a.length === b.length &&
    a.every(([key, value]) => Object.hasOwn(came, key) && same(value, (came as Record<string, unknown>)[key]))
  )
}

/** A request as it is edited, and its verdict as rows. */
import { judge, type Reading } from 'yosei'
import type { AnyVerdict } from 'yosei-cli/book'
import app from '../intake.js'
import makeServices from '../services.js'

export interface Draft {
  readonly method: string
  readonly target: string
  readonly headers: string
  readonly body: string
  /** The time of the judgement, RFC 3339. */
  readonly clock: string
}

export async function judgeDraft({ method, target, headers, body, clock }: Draft): Promise<AnyVerdict> {
  const head = [`${method} ${target} HTTP/1.1`, ...headers.split('\n').filter((line) => line.trim() !== '')]
  const now = new Date(clock)
  return judge(app, `${head.join('\n')}\n\n${body}`, {
    trace: true,
    services: makeServices(),
    ...(Number.isNaN(now.getTime()) ? {} : { now }),
  })
}

export interface Row {
  readonly address: string
  readonly reading?: Reading
  readonly errors: readonly string[]
}

/**
 * Every field as a row: those that were read in the order of the declaration, each other error before what it lies
 * above.
 */
export function rowsOf(verdict: AnyVerdict): Row[] {
  const errors = new Map(verdict.outcome === 'rejected' ? Object.entries(verdict.errorsByField) : [])
  const wordsAt = (address: string) => (errors.get(address) ?? []).map((error) => error.message)
  const rows: Row[] = (verdict.trace?.readings ?? []).map((reading) => ({
    address: reading.address,
    reading,
    errors: wordsAt(reading.address),
  }))
  for (const address of errors.keys()) {
    if (rows.some((row) => row.address === address)) continue
    const inside = rows.findIndex(
      (row) => row.address.startsWith(`${address}.`) || row.address.startsWith(`${address}[`),
    )
    rows.splice(inside < 0 ? rows.length : inside, 0, { address, errors: wordsAt(address) })
  }
  return rows
}

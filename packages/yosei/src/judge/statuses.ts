/** Which status a failure gets (RFC 9110, section 15). */
import type { Fault } from '../kinds/run.js'
import type { Part } from '../terms/parts.js'
import { type Stage, type Statuses, statusFor } from '../terms/statuses.js'

/** Of several failures in one check, the first of these decides: what could not be read, before what does not hold. */
const order = ['syntax', 'path', 'query', 'header', 'cookie', 'body', 'rules'] as const

const failureOf = ({ stage, path }: Fault): (typeof order)[number] =>
  stage === 'read' ? 'syntax' : stage === 'rules' ? 'rules' : (path[0] as Part)

/** The status of a check that found these faults, and the stage where the first of them was. */
export function firstOf(faults: readonly Fault[], statuses: Statuses | undefined): { status: number; stage: Stage } {
  let first = order.length - 1
  for (const fault of faults) first = Math.min(first, order.indexOf(failureOf(fault)))
  const failure = order[first] as (typeof order)[number]
  return {
    status: statusFor(failure, statuses),
    stage: failure === 'syntax' ? 'read' : failure === 'rules' ? 'rules' : 'shape',
  }
}

/** Seconds after which it may be worth another try (RFC 9110, section 10.2.3). */
export const retryAfter = { 'retry-after': '5' }

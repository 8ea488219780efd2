/** Which status a failure gets (RFC 9110, section 15). */
import type { Fault } from '../kinds/run.js'
import type { Part } from '../terms/parts.js'
import { type Stage, type Statuses, statusFor } from '../terms/statuses.js'

/** Of several failures in one check, the first of these decides: what could not be read, before what does not hold. */
const order = ['syntax', 'path', 'query', 'header', 'cookie', 'body', 'rules'] as const

const failureOf = ({ stage, path }: Fault): (typeof order)[number] =>
  stage === 'read' ? 'syntax' : stage === 'rules' ? 'rules' : (path[0] as Part)

/**
 * The status of a check that found these faults, in their order: that of the first rule, or of its code, or of what
 * failed. And the stage where it was.
 */
export function firstOf(faults: readonly Fault[], statuses: Statuses | undefined): { status: number; stage: Stage } {
  let first: number = order.length
  let decides: Fault | undefined
  for (const fault of faults) {
    const at = order.indexOf(failureOf(fault))
    if (at >= first) continue
    first = at
    decides = fault
  }
  const failure = order[first] ?? 'rules'
  return {
    status: decides?.status ?? statusFor(failure, statuses, decides?.code),
    stage: failure === 'syntax' ? 'read' : failure === 'rules' ? 'rules' : 'shape',
  }
}

/** Seconds after which it may be worth another try (RFC 9110, section 10.2.3). */
export const retryAfter = { 'retry-after': '5' }

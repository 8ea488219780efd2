/** All that an intake demands of requests. */
import type { EndpointNode } from '../declare/endpoint.js'
import { intakeNode } from '../declare/intake.js'
import { usual, usualWhenAbsent } from '../judge/lookups.js'
import { firstOf } from '../judge/statuses.js'
import { EACH, EACH_NAME, formatAddress, type Path, parseAddress } from '../terms/address.js'
import type { Intake } from '../terms/endpoint.js'
import { statusFor } from '../terms/statuses.js'
import { placesIn } from './places.js'
import type { About } from './probed.js'
import { demandsOnWho, demandsOnWhole } from './requests.js'
import { codesOf, spotsOf, stepName } from './rules.js'

/** Something that a declaration demands: what breaks it is rejected with this code at this address. */
export interface Demanded extends About {
  /** As it is declared: `[]` for each element, `{}` for each name. */
  readonly address: string
  /** The code of the error if the request breaks it. */
  readonly code: string
  /** The status of the rejection, if the request breaks only this. */
  readonly status: number
  /** Whether it follows from a kind or from HTTP, and is not declared. */
  readonly isImplied: boolean
}

/**
 * All that an intake demands of requests: limits, needs, kinds, formats, choices, tags, rules, who may ask, and what
 * lookups reject. Each address and code once.
 *
 * @example
 * for (const { endpoint, address, code, what } of demandsOf(app)) console.log(endpoint, address, code, what)
 */
export function demandsOf(app: Intake): readonly Demanded[] {
  const node = intakeNode(app)
  return Object.entries(node.endpoints).flatMap(([endpoint, one]) => {
    const { statuses } = one
    const found = new Map<string, Demanded>()
    const add = (address: string, code: string, what: string, status: number, isImplied: boolean) => {
      const key = `${address} ${code}`
      // What is declared comes before what goes without saying.
      if (!found.has(key) || (found.get(key)?.isImplied && !isImplied))
        found.set(key, { endpoint, address, code, what, status, isImplied })
    }
    const ofField = (path: Path, code: string, status?: number) =>
      firstOf([{ path, code, status, stage: path.length === 1 && code === 'missing' ? 'read' : 'shape' }], statuses)
        .status
    const bodies = one.bodies.length === 0 ? [undefined] : one.bodies
    for (const { address, code, what, failure } of demandsOnWho(node, one))
      add(address, code, what, statusFor(failure, statuses, code), code === 'not_known')
    for (const body of bodies) {
      const places = [...placesIn(one, body)]
      for (const { address, code, what, failure } of demandsOnWhole(one, body))
        add(address, code, what, statusFor(failure, statuses, code), !what.startsWith('limits.'))
      for (const { path, demands } of places)
        for (const { code, what, below = [], isOfKind = false, isNamed } of demands)
          add(
            formatAddress(foldedPath([...path, ...(isNamed ? [EACH_NAME] : below)])),
            code,
            what,
            ofField(path, code),
            isOfKind,
          )
      for (const { rule, base } of spotsOf(one, places))
        for (const code of codesOf(rule))
          for (const address of rule.blames) {
            const path = [...base, ...(parseAddress(address) ?? [])]
            const { status } = firstOf([{ path, code, status: rule.status, stage: 'rules' }], statuses)
            add(formatAddress(path), code, stepName(rule), status, false)
          }
    }
    for (const { address, code, what, status } of outsideOf(one)) add(address, code, what, status, false)
    return [...found.values()]
  })
}

/** An address with `[]` for each element. */
const foldedPath = (path: Path): Path => path.map((key) => (typeof key === 'number' && key !== EACH_NAME ? EACH : key))

/** What only services can say: the answers of lookups, and whether a message is genuine. */
export function outsideOf({ lookups, statuses, attest, bodies }: EndpointNode) {
  const code = 'not_genuine'
  const status = statusFor('notGenuine', statuses, code)
  const forged = attest ? [{ what: 'attest', address: bodies.length > 0 ? 'body' : 'header', code, status }] : []
  const refused = Object.entries(lookups).flatMap(([name, { refusal, absent, reads, mode, givesRules }]) => {
    if (mode === 'observe' || givesRules) return []
    const { failure, code } = absent ? usualWhenAbsent : usual
    return {
      what: `lookup ${name}`,
      address: refusal?.at ?? reads[0] ?? '',
      code: refusal?.code ?? code,
      status: refusal?.status ?? statusFor(failure, statuses, code),
    }
  })
  return [...forged, ...refused]
}

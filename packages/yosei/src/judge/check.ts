/** The stage that checks: the shape of every part, then the rules; all errors told together. */
import { interpret } from '../compile/interpret.js'
import { type Parts, runRules } from '../compile/rules.js'
import type { Fault, Run, Stage } from '../compile/run.js'
import { formatAddress } from '../declare/address.js'
import { type EndpointNode, type Part, partNames, rootOf } from '../declare/endpoint.js'
import { inDeclaredOrder } from '../declare/locate.js'
import type { Node } from '../declare/node.js'
import { type AcceptedVerdict, type Rejected, reject } from './verdict.js'

/** A body that could not be read, and why. */
export class Unreadable {
  constructor(readonly fault: Pick<Fault, 'code' | 'variant' | 'about'>) {}
}

export interface Matter {
  /** What the verdict calls the endpoint. */
  readonly name: string
  readonly endpoint: EndpointNode
  /** The declaration of the body for the media type that was sent. */
  readonly body: Node | undefined
  readonly sent: Parts
  /** Whether a header field was sent, also where it is not declared. */
  readonly hasHeader?: (name: string) => boolean
  /** The parts that are judged: all of them where nothing is said. */
  readonly only?: readonly Part[] | undefined
  /** Whether the body is read as text, as a form gives it. */
  readonly form?: boolean | undefined
}

/** Judges parts that are split already. */
export function check(matter: Matter, run: Run): AcceptedVerdict<string, unknown> | Rejected {
  const { name, endpoint, sent, only = partNames } = matter
  const input: { [part: string]: unknown } = {}
  for (const part of partNames) {
    if (!only.includes(part)) continue
    run.path.push(part)
    run.undeclared = endpoint.undeclared?.[part === 'body' ? 'body' : 'query'] ?? 'reject'
    input[part] = part === 'body' ? readBody(matter, run) : interpret(endpoint[part], sent[part] ?? {}, 'text', run)
    run.path.pop()
  }
  run.faults = run.faults.map((fault) => hint(fault, matter))
  step(run, 'read', run.faults)
  step(run, 'shape', run.faults)

  const root = rootOf(endpoint, matter.body)
  const rules = endpoint.rules.filter(({ reads }) => reads.every((address) => only.some((part) => new RegExp(`^${part}\\b`).test(address))))
  runRules(rules, { root, sent, input }, run)
  const trace = run.trace
  if (run.faults.length === 0) return { outcome: 'accepted', endpoint: name, input, ...(trace ? { trace } : {}) }
  const faults = inDeclaredOrder(root, run.faults)
  const stage = (['read', 'shape', 'rules'] as const).find((one) => faults.some((fault) => fault.stage === one)) ?? 'rules'
  return reject(name, faults, { status: Math.min(...faults.map(statusOf)), stage, beyond: run.beyond, trace })
}

const step = (run: Run, stage: Stage, faults: readonly Fault[]) =>
  run.trace?.steps.push({ stage, outcome: faults.some((fault) => fault.stage === stage) ? 'failed' : 'passed' })

function readBody({ endpoint, sent, body, form }: Matter, run: Run): unknown {
  const fault = (about: Pick<Fault, 'code' | 'variant' | 'about'>) => void run.faults.push({ path: ['body'], stage: 'read', ...about })
  if (sent.body instanceof Unreadable) return fault(sent.body.fault)
  if (!body) return sent.body === undefined ? undefined : fault({ code: 'undeclared', variant: 'body' })
  if (sent.body === undefined && body.presence === 'required') return fault({ code: 'missing' })
  return interpret(body, sent.body, form ? 'text' : endpoint.coerce ? 'coerced' : 'json', run)
}

/** A missing field whose name came in another part says so. */
function hint(fault: Fault, { endpoint, sent, hasHeader }: Matter): Fault {
  const [part, name, ...deeper] = fault.path
  if (fault.code !== 'missing' || typeof name !== 'string' || deeper.length > 0) return fault
  const elsewhere = partNames.find(
    (other) => other !== part && !(other !== 'body' && Object.hasOwn(endpoint[other].fields, name)) && isSent(sent[other], name),
  )
  const found = elsewhere ?? (part !== 'header' && hasHeader?.(name.toLowerCase()) ? 'header' : undefined)
  return found ? { ...fault, variant: 'elsewhere', about: { elsewhere: formatAddress([found, name]) } } : fault
}

const isSent = (values: unknown, name: string) =>
  typeof values === 'object' && values !== null && !Array.isArray(values) && Object.hasOwn(values, name)

/** What could not be read, or is wrong outside the body, is a bad request; a well-formed body that does not hold is not processable. */
const statusOf = ({ stage, path }: Fault) => (stage === 'rules' || (stage === 'shape' && path[0] === 'body') ? 422 : 400)

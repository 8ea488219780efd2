/** The stage that checks: the shape of every part, then the rules; all errors told together. */
import { interpret } from '../compile/interpret.js'
import { inDeclaredOrder } from '../compile/locate.js'
import { type Parts, runRules } from '../compile/rules.js'
import type { Fault, Run } from '../compile/run.js'
import type { EndpointNode } from '../declare/endpoint.js'
import type { Node } from '../declare/node.js'
import { type AcceptedVerdict, type Rejected, reject } from './verdict.js'

/** A body that could not be read, and why. */
export interface Unreadable {
  readonly unreadable: Pick<Fault, 'code' | 'variant' | 'about'>
}
const isUnreadable = (body: unknown): body is Unreadable => typeof body === 'object' && body !== null && Object.hasOwn(body, 'unreadable')

/** Judges parts that are split already, by the declaration of `body` for their media type. */
export function check(
  name: string,
  endpoint: EndpointNode,
  sent: Parts,
  body: Node | undefined,
  run: Run,
): AcceptedVerdict<string, unknown> | Rejected {
  const input: { [part: string]: unknown } = {}
  for (const part of ['path', 'query', 'header'] as const) {
    run.path.push(part)
    input[part] = interpret(endpoint[part], sent[part] ?? {}, 'text', run)
    run.path.pop()
  }
  run.path.push('body')
  input.body = readBody(sent.body, body, run)
  run.path.pop()

  const root = {
    kind: 'record',
    presence: 'required',
    fields: { path: endpoint.path, query: endpoint.query, header: endpoint.header, ...(body ? { body } : {}) },
  } as const
  runRules(endpoint.rules, { root, sent, input }, run)
  if (run.faults.length === 0)
    return { outcome: 'accepted', endpoint: name, input, ...(run.readings ? { trace: { readings: run.readings } } : {}) }
  const faults = inDeclaredOrder(root, run.faults)
  const stages = new Set(faults.map((fault) => fault.stage))
  const stage = (['read', 'shape', 'rules'] as const).find((one) => stages.has(one)) ?? 'rules'
  return reject(name, faults, { status: Math.min(...faults.map(statusOf)), stage, readings: run.readings })
}

function readBody(sent: unknown, body: Node | undefined, run: Run): unknown {
  const fault = (about: Pick<Fault, 'code' | 'variant' | 'about'>) => void run.faults.push({ path: ['body'], stage: 'read', ...about })
  if (isUnreadable(sent)) return fault(sent.unreadable)
  if (!body) return sent === undefined ? undefined : fault({ code: 'undeclared', variant: 'body' })
  if (sent === undefined && body.presence === 'required') return fault({ code: 'missing' })
  return interpret(body, sent, 'json', run)
}

/** What could not be read, or is wrong outside the body, is a bad request; a well-formed body that does not hold is not processable. */
const statusOf = ({ stage, path }: Fault) => (stage === 'rules' || (stage === 'shape' && path[0] === 'body') ? 422 : 400)

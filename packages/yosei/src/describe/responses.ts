/** The answers that an endpoint can give beside its success: from its declaration. */
import type { EndpointNode } from '../declare/endpoint.js'
import { challengeOf, type IntakeNode } from '../declare/intake.js'
import type { Demanded } from '../probe/demanded.js'
import { type StatusName, statusFor, titles } from '../terms/statuses.js'
import type { JsonSchema } from './schema.js'

/** What a rejection looks like: a problem document (RFC 9457), or what the envelope says. */
export function problemSchema({ envelope }: IntakeNode): JsonSchema {
  if (envelope !== undefined) {
    const schema = typeof envelope === 'function' ? undefined : envelope.schema
    return schema ?? { description: 'A rejection, in the shape of this service.' }
  }
  const error = {
    type: 'object',
    properties: {
      code: { type: 'string', description: 'The code of the error. It does not change with the language.' },
      detail: { type: 'string', description: 'The error in words.' },
      pointer: { type: 'string', description: 'Where in the body (RFC 6901).' },
    },
    required: ['code', 'detail'],
  }
  return {
    type: 'object',
    description: 'A problem document (RFC 9457).',
    properties: {
      type: { type: 'string' },
      title: { type: 'string' },
      status: { type: 'integer' },
      detail: { type: 'string', description: 'The first error in words.' },
      instance: { type: 'string', description: 'The id of the request.' },
      fields: {
        type: 'object',
        description: 'The errors by address.',
        additionalProperties: { type: 'array', items: error },
      },
      more: { type: 'integer', description: 'How many errors are not in fields.' },
    },
    required: ['type', 'title', 'status', 'detail', 'instance'],
  }
}

const titleOf = (status: number) => titles[status] ?? `Status ${status}`

/** Failures that any request can have. Those in the second list need a body. */
const anyways: readonly StatusName[] = ['framing', 'uri', 'headers', 'expectation', 'transferCoding', 'failure']
const withBody: readonly StatusName[] = ['size', 'coding', 'late', 'broken']

/** @param shared Responses that all endpoints have, by their names. */
export function responsesOf(
  app: IntakeNode,
  endpoint: EndpointNode,
  demands: readonly Demanded[],
  examples: ReadonlyMap<number, unknown>,
  shared: Map<string, object>,
): { readonly [status: string]: object } {
  const { statuses, turn, lookups, bodies, attest } = endpoint
  const found = new Map<number, Demanded[]>()
  for (const demand of demands) {
    const own = found.get(demand.status)
    if (own) own.push(demand)
    else found.set(demand.status, [demand])
  }
  const statusesOf = (names: readonly StatusName[]) => names.map((name) => statusFor(name, statuses))
  const isAsked = app.identify || attest || turn || Object.keys(lookups).length > 0
  const general = [
    ...statusesOf(anyways),
    ...(bodies.length > 0 ? statusesOf(withBody) : []),
    ...(isAsked ? statusesOf(['unavailable']) : []),
    ...(Object.values(lookups).some(({ givesRules }) => givesRules) ? statusesOf(['rules']) : []),
  ]
  if (turn) {
    const status = statusFor('turn', statuses)
    const busy = { endpoint: '', address: turn.by[0] ?? '', code: 'busy', what: 'turn', status, isImplied: false }
    found.set(status, [...(found.get(status) ?? []), busy])
  }
  const responses: { [status: string]: object } = {}
  for (const status of [...new Set([...found.keys(), ...general])].sort((a, b) => a - b)) {
    const own = found.get(status)
    if (own) responses[status] = ownResponse(app, status, own, examples.get(status))
    else {
      const name = titleOf(status).replace(/[^A-Za-z]/g, '')
      shared.set(name, response(app, status, `${titleOf(status)}.`, { $ref: '#/components/schemas/Problem' }))
      responses[status] = { $ref: `#/components/responses/${name}` }
    }
  }
  return responses
}

/** What a rejection of one status says: the codes that can come, at which addresses. */
function ownResponse(app: IntakeNode, status: number, demands: readonly Demanded[], example: unknown): object {
  const byAddress = new Map<string, Set<string>>()
  for (const { address, code } of demands) byAddress.set(address, (byAddress.get(address) ?? new Set()).add(code))
  const lines = [...byAddress].map(([address, codes]) => `- \`${address || 'the request'}\`: ${[...codes].join(', ')}`)
  const exact = [...byAddress].filter(([address]) => address !== '' && !/[[{]/.test(address))
  const problem = { $ref: '#/components/schemas/Problem' }
  const properties = Object.fromEntries(
    exact.map(([address, codes]) => [address, { items: { properties: { code: { enum: [...codes] } } } }]),
  )
  const schema =
    app.envelope !== undefined || exact.length === 0
      ? problem
      : { allOf: [problem, { properties: { fields: { properties } } }] }
  return response(app, status, `${titleOf(status)}. The errors that can come:\n\n${lines.join('\n')}`, schema, example)
}

function response(app: IntakeNode, status: number, description: string, schema: JsonSchema, example?: unknown): object {
  const { header, scheme } = challengeOf(app)
  const fields: readonly (readonly [name: string, description: string])[] =
    status === 401 && header === 'authorization'
      ? [['WWW-Authenticate', `${scheme} (RFC 9110, section 11.6.1)`]]
      : status === 503 || status === 429
        ? [['Retry-After', 'When to try again (RFC 9110, section 10.2.3).']]
        : []
  const type = app.envelope === undefined ? 'application/problem+json' : 'application/json'
  return {
    description,
    ...(fields.length === 0
      ? {}
      : {
          headers: Object.fromEntries(
            fields.map(([name, description]) => [name, { description, schema: { type: 'string' } }]),
          ),
        }),
    content: { [type]: { schema, ...(example === undefined ? {} : { example }) } },
  }
}

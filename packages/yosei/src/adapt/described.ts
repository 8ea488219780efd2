/** The description of a service at a path of its own, with a tag by which a client knows it again. */
import type { Reply } from '../answer/reply.js'
import type { IntakeNode } from '../declare/intake.js'
import { type AnyMessage, fieldOf } from '../read/message.js'
import type { Intake } from '../terms/endpoint.js'

interface Described {
  readonly text: string
  /** RFC 9110, section 8.8.3. */
  readonly etag: string
}

/** Answers requests for the description; `undefined` if a request is for something else. */
export function describing(app: IntakeNode, path: string): (message: AnyMessage) => Promise<Reply> | undefined {
  let made: Promise<Described> | undefined
  return ({ method, target, headers }) => {
    if ((method !== 'GET' && method !== 'HEAD') || target.split('?')[0] !== path) return undefined
    made ??= describe(app)
    return made.then(({ text, etag }) => {
      const known = fieldOf(headers, 'if-none-match')
      const isKnown = known?.split(',').some((one) => [etag, '*'].includes(one.trim().replace(/^W\//, '')))
      const fields = { etag, 'cache-control': 'no-cache' }
      if (isKnown) return { status: 304, headers: fields, body: null }
      const body = method === 'HEAD' ? null : text
      return { status: 200, headers: { ...fields, 'content-type': 'application/json; charset=utf-8' }, body }
    })
  }
}

async function describe(app: IntakeNode): Promise<Described> {
  // By its name: who does not ask for it does not load it.
  const { writeOpenApi } = await import('yosei/openapi')
  const { document } = await writeOpenApi(app as Intake)
  const text = JSON.stringify(document)
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text)))
  return { text, etag: `"${[...digest.slice(0, 12)].map((byte) => byte.toString(16).padStart(2, '0')).join('')}"` }
}

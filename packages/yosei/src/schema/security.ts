/** What a description asks of callers: that credentials are there (OpenAPI 3.1, section 4.8.27). */

import { isNamed } from '../kinds/run.js'
import type { Head } from '../terms/head.js'
import { mistake } from '../terms/mistake.js'
import type { At, Description, Json } from './description.js'
import { isList } from './positions.js'

/** A way to carry credentials, as descriptions have it (OpenAPI 3.1, section 4.8.27). */
export interface SecurityScheme {
  /** `apiKey`, `http`, `oauth2`, `openIdConnect` or `mutualTLS`. */
  readonly type: string
  /** Of an `apiKey`: `header`, `query` or `cookie`. */
  readonly in?: string
  /** Of an `apiKey`: its name there. */
  readonly name?: string
  /** Of `http`: the scheme of the header field (RFC 9110, section 11.1). */
  readonly scheme?: string
}
/** Alternatives, each with the names of the schemes that it needs (OpenAPI 3.1, section 4.8.30). */
export type SecurityRequirements = readonly { readonly [scheme: string]: unknown }[]

interface Scheme {
  /** `apiKey`, `http`, `oauth2`, `openIdConnect`, `mutualTLS`. */
  readonly type: string
  readonly where: 'header' | 'query' | 'cookie'
  readonly name: string
  /** The scheme of the header field (RFC 9110, section 11.1). */
  readonly scheme: string | undefined
}
const schemeOf = ({ type, in: where, name: key, scheme: http }: Partial<SecurityScheme>): Scheme => ({
  type: String(type),
  where: where === 'query' || where === 'cookie' ? where : 'header',
  name: type === 'apiKey' && typeof key === 'string' ? key : 'authorization',
  scheme: type === 'http' ? String(http) : type === 'apiKey' ? undefined : 'Bearer',
})

/**
 * For `identify`: whether a request has the credentials that it needs. It does not verify them.
 *
 * @param security What each endpoint needs, by its name; or one list for all.
 * @example
 * identify: credentials({ key: { type: 'apiKey', in: 'header', name: 'x-key' } }, [{ key: [] }])
 */
export function credentials(
  schemes: { readonly [name: string]: SecurityScheme },
  security: SecurityRequirements | { readonly [endpoint: string]: SecurityRequirements },
): (head: Head) => object | undefined {
  const known = new Map(Object.entries(schemes).map(([name, scheme]) => [name, schemeOf(scheme)]))
  const asked = (all: SecurityRequirements): Asked => ({
    alternatives: all.map((one) =>
      Object.keys(one).map(
        (name) =>
          known.get(name) ??
          mistake('credentials()', `${name} is none of its schemes`, 'Describe it in the first argument'),
      ),
    ),
  })
  if (isList(security)) {
    const all = asked(security)
    return (head) => askedBy(all, head)
  }
  const byEndpoint = new Map(Object.entries(security).map(([name, all]) => [name, asked(all)]))
  return (head) => askedBy(byEndpoint.get(head.endpoint), head)
}

/** Any of the alternatives is enough; of one, all schemes are needed. */
interface Asked {
  readonly alternatives: readonly (readonly Scheme[])[]
}

/** The schemes that a request carries all credentials for; nothing, if it does for none. */
function askedBy(asked: Asked | undefined, head: Head): object | undefined {
  if (!asked || asked.alternatives.length === 0) return undefined
  const found = asked.alternatives.find((all) => all.every((scheme) => carries(head, scheme)))
  return found && { schemes: found.map(({ type, name }) => ({ type, name })) }
}

function carries({ headers, target }: Head, { type, where, name, scheme }: Scheme): boolean {
  // What the connection carries, no request shows.
  if (type === 'mutualTLS') return true
  if (where === 'query') return (new URLSearchParams(/\?(.*)$/s.exec(target)?.[1] ?? '').get(name) ?? '').trim() !== ''
  if (where === 'cookie')
    return (headers.get('cookie') ?? '')
      .split(/;\s*/)
      .some((pair) => pair.startsWith(`${name}=`) && pair.length > name.length + 1)
  const value = (headers.get(name) ?? '').trim()
  if (scheme === undefined) return value !== ''
  return value.toLowerCase().startsWith(`${scheme.toLowerCase()} `) && value.length > scheme.length + 1
}

/** How a client is asked for credentials: by the first scheme that has a header field. */
export function challengeBy(schemes: Iterable<SecurityScheme>): { readonly header?: string; readonly scheme?: string } {
  const first = [...schemes].map(schemeOf).find(({ where }) => where === 'header')
  if (!first) return {}
  const { name, scheme } = first
  return {
    header: name.toLowerCase(),
    scheme: scheme === undefined ? 'ApiKey' : scheme.replace(/^./, (one) => one.toUpperCase()),
  }
}

/** The security requirements of operations. */
export class Security {
  /** Those that operations ask for, by their names. */
  readonly schemes = new Map<string, SecurityScheme>()
  readonly #description: Description
  readonly #isVerified: boolean
  /** @param isVerified Whether the service verifies credentials itself. */
  constructor(description: Description, isVerified: boolean) {
    this.#description = description
    this.#isVerified = isVerified
  }

  #required(operation: At): { readonly at: At; readonly all: readonly Json[] } {
    const at = operation.value['security'] === undefined ? this.#description.root : operation
    const { security } = at.value
    return { at, all: (Array.isArray(security) ? security : []).filter(isNamed) }
  }
  isOpen(operation: At): boolean {
    const { all } = this.#required(operation)
    return all.length === 0 || all.some((one) => Object.keys(one).length === 0)
  }
  /** What an operation asks of its caller; nothing if it is open. */
  of(operation: At): SecurityRequirements {
    const { at, all } = this.#required(operation)
    for (const name of all.flatMap((one) => Object.keys(one))) this.#add(name, at)
    return this.isOpen(operation) ? [] : (all as SecurityRequirements)
  }
  #add(name: string, at: At): void {
    if (this.schemes.has(name)) return
    const scheme = this.#description.at(this.#description.root, ['components', 'securitySchemes', name])
    if (!scheme) {
      const what = `the security scheme ${name} is not described`
      this.#description.program.mistake(
        at.located,
        what,
        'Describe it in components/securitySchemes, or correct the name',
      )
    }
    this.schemes.set(name, scheme.value as Json & SecurityScheme)
    const isNever = scheme.value['type'] === 'mutualTLS'
    if (!this.#isVerified)
      this.#description.note(
        scheme,
        `the security scheme ${name}`,
        `${isNever ? 'It is not checked' : 'It must be sent, and is not verified'}. Verify it in identify`,
      )
  }
}

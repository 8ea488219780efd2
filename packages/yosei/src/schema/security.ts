/** What a description asks of callers: that credentials are there (OpenAPI 3.1, section 4.8.27). */
import type { Head } from '../declare/intake.js'
import { isNamed } from '../kinds/run.js'
import type { At, Description, Json } from './description.js'

/** A way to carry credentials. */
export interface Scheme {
  /** `apiKey`, `http`, `oauth2`, `openIdConnect`, `mutualTLS`. */
  readonly type: string
  readonly where: 'header' | 'query' | 'cookie'
  readonly name: string
  /** The scheme of the header field (RFC 9110, section 11.1). */
  readonly scheme: string | undefined
}
/** Any of the alternatives is enough; of one, all schemes are needed. */
export interface Asked {
  readonly alternatives: readonly (readonly Scheme[])[]
}

/** The schemes that a request carries all credentials for; nothing, if it does for none. */
export function askedBy(asked: Asked | undefined, head: Head): object | undefined {
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
export function challengeBy(all: readonly Asked[]): { readonly header?: string; readonly scheme?: string } {
  const first = all.flatMap(({ alternatives }) => alternatives.flat()).find(({ where }) => where === 'header')
  if (!first) return {}
  const { name, scheme } = first
  return {
    header: name.toLowerCase(),
    scheme: scheme === undefined ? 'ApiKey' : scheme.replace(/^./, (one) => one.toUpperCase()),
  }
}

/** The security requirements of operations. */
export class Security {
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
  readonly #schemes = new Map<string, Scheme>()
  /** What an operation asks of its caller. */
  of(operation: At): Asked {
    const { at, all } = this.#required(operation)
    const alternatives = all.map((one) =>
      Object.keys(one).flatMap((name): Scheme[] => {
        const known = this.#schemes.get(name)
        if (known) return [known]
        const scheme = this.#description.at(this.#description.root, ['components', 'securitySchemes', name])
        if (!scheme)
          return this.#description.program.mistake(
            at.located,
            `the security scheme ${name} is not described`,
            'Describe it in components/securitySchemes, or correct the name',
          )
        const { type, in: where, name: key, scheme: http } = scheme.value
        const made: Scheme = {
          type: String(type),
          where: where === 'query' || where === 'cookie' ? where : 'header',
          name: type === 'apiKey' && typeof key === 'string' ? key : 'authorization',
          scheme: type === 'http' ? String(http) : type === 'apiKey' ? undefined : 'Bearer',
        }
        this.#schemes.set(name, made)
        if (!this.#isVerified)
          this.#description.note(
            scheme,
            `the security scheme ${name}`,
            `${type === 'mutualTLS' ? 'It is not checked' : 'It must be there, and is not verified'}. Give readOpenApi identify`,
          )
        return [made]
      }),
    )
    return { alternatives: this.isOpen(operation) ? [] : alternatives.filter((one) => one.length > 0) }
  }
}

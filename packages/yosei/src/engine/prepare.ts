/** Writes the code of an intake as a module, for workers and policies that make no code from text. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { intakeNode } from '../declare/intake.js'
import { placedRules } from '../declare/place.js'
import { access, key, quote } from '../kinds/quote.js'
import type { Code } from '../kinds/writer.js'
import type { Intake } from '../terms/endpoint.js'
import { version } from '../terms/version.js'
import { behind, digestOf } from './digest.js'
import { apartCodeOf, emitEndpoint } from './emit.js'
import { emitHolds, emitRules } from './emit-rules.js'
import { library, makers } from './makers.js'

/** What such a module is known by. */
export const importsPrepared = "import { library, preparedBy } from 'yosei/prepared'"

/** @param command What makes the module again. */
export function moduleOf(app: Intake, command: string): string {
  const endpoints = Object.values(intakeNode(app).endpoints).filter(({ engine }) => engine !== 'interpreted')
  return [
    '// @ts-nocheck',
    '// Made by the command below. Run it again when the declarations change.',
    importsPrepared,
    '',
    `const { ${Object.keys(library).join(', ')} } = library`,
    // At the top of the module, so that each function is parsed when it is first called, and not with the others.
    // In a text a slash ends nothing, and a person reads the command.
    `export const prepared = preparedBy({ command: ${quote(command).replaceAll('\\u002f', '/')}, version: ${quote(version)} }, {`,
    ...endpoints.flatMap(endpointCode),
    '})',
    '',
  ].join('\n')
}

function endpointCode(endpoint: EndpointNode): string[] {
  const bodies = endpoint.bodies.length > 0 ? endpoint.bodies : [undefined]
  const who = endpoint.who && emitHolds(endpoint.who)
  return [
    `${key(endpoint.name ?? '')}: {`,
    `digest: ${quote(digestOf(endpoint))},`,
    'bodies: [',
    ...bodies.flatMap((body) => bodyCode(endpoint, body)),
    '],',
    ...(who ? ['who(endpoint) {', ...lines(who, namesIn({ endpoint }), new Map()), '},'] : []),
    '},',
  ]
}

function bodyCode(endpoint: EndpointNode, body: BodyNode | undefined): string[] {
  const placed = placedRules(endpoint, body)
  const names = namesIn({ endpoint, placed })
  return [
    '{',
    'read(endpoint, placed, interpreted) {',
    ...whole(emitEndpoint(endpoint, body, never), names),
    '},',
    ...(placed.rules.length > 0
      ? ['rules(endpoint, placed) {', ...whole(emitRules(endpoint, body, placed), names), '},']
      : []),
    '},',
  ]
}

/** Only when a request comes to it is such code made; here all of it is written. */
const never = (): never => {
  throw new Error('code that is prepared is not made')
}

/** A function's code, behind the code of all that it reads apart. */
function whole(code: Code, names: Names): string[] {
  const apart = new Map<unknown, string>()
  const main = lines(code, names, apart)
  const functions: string[] = []
  // Each may come upon others.
  for (const [reader, name] of apart) {
    const made = apartCodeOf(reader)
    if (made) functions.push(`const ${name} = apart(() => {`, ...lines(made(), names, apart), '})')
  }
  return [...functions, ...main]
}

function lines({ source, constants, made }: Code, names: Names, apart: Map<unknown, string>): string[] {
  const above = new Map<unknown, string>()
  /** A constant as code: what makes it, where it stands in the declaration, or itself. */
  const written = (value: unknown): string => {
    const known = above.get(value)
    if (known !== undefined) return known
    const how = made.get(value)
    if (how) return `${maker(how.maker)}(${how.from.map(written).join(', ')})`
    if (typeof value === 'object' && value !== null)
      return names.get(value) ?? (value instanceof RegExp ? String(value) : listed(value))
    if (typeof value === 'function') return names.get(value) ?? apartName(value, apart) ?? maker(value)
    return typeof value === 'bigint' ? `${value}n` : typeof value === 'string' ? quote(value) : plain(value)
  }
  const listed = (value: object): string => {
    if (!Array.isArray(value)) throw new Error(`a constant of code stands nowhere: ${source}`)
    return `[${value.map(written).join(', ')}]`
  }
  const constant = (value: unknown, index: number): string => {
    const text = written(value)
    above.set(value, `k${index}`)
    return `const k${index} = ${text}`
  }
  return [...constants.map(constant), source]
}

const plain = (value: unknown): string => (Object.is(value, -0) ? '-0' : String(value))

/** The name of what reads a declaration by code of its own. */
function apartName(reader: unknown, apart: Map<unknown, string>): string | undefined {
  if (!apartCodeOf(reader)) return undefined
  const name = apart.get(reader) ?? `apart${apart.size}`
  apart.set(reader, name)
  return name
}

function maker(one: unknown): string {
  const found = Object.entries(makers).find(([, maker]) => maker === one)
  if (!found) throw new Error(`no maker has a name for ${String(one)}`)
  return `makers.${found[0]}`
}

type Names = ReadonlyMap<object, string>
/** Every object of a declaration, and the shortest way to it. */
function namesIn(tops: { readonly [name: string]: object }): Names {
  const names = new Map<object, string>()
  const due: [value: unknown, name: string][] = Object.entries(tops).map(([name, top]) => [top, name])
  // What is made only when it is asked for comes last.
  const late: typeof due = []
  for (let at = 0; at < due.length || late.length > 0; ) {
    const [value, name] = (at < due.length ? due[at++] : late.shift()) as (typeof due)[0]
    if ((typeof value !== 'object' && typeof value !== 'function') || value === null || names.has(value)) continue
    names.set(value, name)
    if (typeof value === 'function') continue
    for (const [step, one] of Object.entries(value))
      due.push([one, Array.isArray(value) ? `${name}[${step}]` : `${name}${access(step)}`])
    for (const [index, one] of behind(value).entries()) late.push([one, `makers.childOf(${name}, ${index})`])
  }
  return names
}

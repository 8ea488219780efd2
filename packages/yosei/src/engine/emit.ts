/**
 * Writes the code that reads the parts of one endpoint. The code takes what is right at once and hands the rest, node
 * by node, to the interpreter, which tells what is wrong. So both say the same, and what is slow is done only for
 * values that are wrong or rare.
 */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { kinds } from '../kinds/brought.js'
import { isByClock } from '../kinds/clock.js'
import { type CodeOf, type Count, type EmitContext, kindOf, type Node, type Spot } from '../kinds/kind.js'
import { codes } from '../kinds/kinds.js'
import { identifier, quote } from '../kinds/quote.js'
import type { Run, Source } from '../kinds/run.js'
import { literal, type ScalarKind } from '../kinds/scalar.js'
import { keepsEmpty } from '../kinds/shape.js'
import { type Code, createWriter, type Writer } from '../kinds/writer.js'
import { sourceOf } from '../read/media.js'
import { formatAddress } from '../terms/address.js'
import { type Part, partNames } from '../terms/parts.js'
import { defaultOf, startRun } from './interpret.js'

/** The name of an endpoint's function, as a debugger shows it. */
export const functionName = ({ name, method, template }: EndpointNode): string =>
  `read_${identifier(name ?? `${method} ${template}`)}`

/** Makes a function of code. */
type Make = (code: Code, name: string) => unknown
/** Reads one declaration at a path. */
type ApartReader = (value: unknown, run: Run, parsed: boolean, path: readonly (string | number)[]) => unknown

/** Where code is written, what makes functions of it, and those that it has: one for a declaration, wherever it stands. */
interface Emitting {
  readonly writer: Writer
  readonly make: Make
  readonly apart: Map<Node, { [read: string]: ApartReader }>
}

/** A `Reader` of the endpoint's parts, as code. */
export function emitEndpoint(
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  make: Make,
  only: readonly Part[] = partNames,
): Code {
  const writer = createWriter()
  const emitting: Emitting = { writer, make, apart: new Map() }
  writer.gives(`${functionName(endpoint)}(path, query, header, cookie, body, run, hasBody, parsed)`, () => {
    writer.line('if (isPolluted()) return interpreted(path, query, header, cookie, body, run, hasBody, parsed)')
    const part = (part: Part, node: Node, source: Source) => {
      const unlisted = endpoint.unlisted?.[part === 'body' ? 'body' : 'query'] ?? 'refuse'
      if (endpoint.unlisted) writer.line(`run.unlisted = ${quote(unlisted)}`)
      return emit(emitting, node, part === 'body' ? part : `${part} ?? {}`, {
        path: [quote(part)],
        address: [part],
        source,
        unlisted,
      })
    }
    /** Without fields there is nothing to read, and only in a query perhaps something too much. */
    const textPart = (name: Exclude<Part, 'body'>) => {
      const isEmpty = Object.keys(endpoint[name].fields).length === 0
      if (!isEmpty) return part(name, endpoint[name], 'text')
      if (name === 'query') writer.block('if (query !== undefined) {', () => part(name, endpoint[name], 'text'))
      return '{}'
    }
    const read = only.map((name) => {
      if (name !== 'body') return `${name}: ${textPart(name)}`
      const value = writer.name('v')
      writer.line(`let ${value}`)
      if (body)
        writer.block('if (hasBody) {', () =>
          writer.line(`${value} = ${part('body', body.node, sourceOf(body, endpoint.coerce))}`),
        )
      return `body: ${value}`
    })
    writer.line(`return { ${read.join(', ')} }`)
  })
  return writer.code()
}

/** How a scalar is read that code does not take. */
export const scalarReader = (node: Node) => (kindOf(kinds, node) as Partial<ScalarKind<Node>>).readScalar
export const startDefault = (node: Node) => defaultOf(node, startRun())

/**
 * A declaration that is shared in many places stands in the code once for each: beyond so many, the interpreter reads.
 */
export const mostEmitted = 4000

/** Writes the reading of a value, from the text of an expression; gives the variable with what was read. */
function emit(emitting: Emitting, node: Node, value: string, outer: Spot, count?: Count): string {
  const { writer } = emitting
  const place =
    node.coerce === undefined || outer.source === 'text'
      ? outer
      : { ...outer, source: node.coerce ? ('coerced' as const) : ('json' as const) }
  const read = writer.name('v')
  writer.line(`let ${read} = ${value} // ${quote(formatAddress(place.address))}`)
  const code = codes[node.kind] as CodeOf<Node>
  const known = `${writer.bind(node)}, ${read}, ${quote(place.source)}, ${writer.path(place)}`
  const readScalar = scalarReader(node)
  const reader = readScalar && !node.secret && !node.readOnly ? writer.make(scalarReader, node) : undefined
  // A needed value that is not there comes to the interpreter, but where a kind has another way.
  const countsHere = count && !(count.needed && code.absent === 'told')
  if (countsHere)
    writer.line(
      count.needed ? `if (${read} === undefined) ${count.name}--` : `if (${read} !== undefined) ${count.name}++`,
    )
  const interpretInstead = (tried?: string) => {
    const call = reader
      ? `${tried === undefined ? 'slowScalar' : 'slowInstant'}(run, ${reader}, ${known}${tried === undefined ? '' : `, ${tried}`})`
      : `slow(run, ${known})`
    return count && !countsHere
      ? `{ if (${read} === undefined) ${count.name}--; ${read} = ${call} }`
      : `${read} = ${call}`
  }
  const test: EmitContext['test'] = (writer, one, read, from) =>
    (codes[one.kind] as CodeOf<Node>).test?.(writer, one, read, from)
  const whole: EmitContext = {
    writer,
    read,
    place,
    interpretInstead,
    kinds,
    test,
    emit: (...below) => emit(emitting, ...below),
    emitApart: (below, from, spot) =>
      `${writer.bind(apartReader(emitting, below, spot))}(${from}, run, parsed, ${writer.path(spot)})`,
  }
  if (writer.count++ > mostEmitted || (node.secret && !readScalar)) writer.line(interpretInstead())
  // Most clients leave out what they may not set.
  else if (node.readOnly && code.absent !== 'own')
    whenPresent(whole, node, () => writer.line(interpretInstead()), false)
  else if (node.readOnly) writer.line(interpretInstead())
  else if (code.absent === 'own') code.write(whole, node)
  else whenPresent(whole, node, () => code.write(whole, node))
  return read
}

const apartCodes = new WeakMap<object, () => Code>()
/** The code of what `emitApart` gave, for those that write all of it beforehand. */
export const apartCodeOf = (reader: unknown): (() => Code) | undefined => apartCodes.get(reader as object)

/** Code that few requests come to is made when one does. Each call gives it the path at which it reads. */
function apartReader(emitting: Emitting, node: Node, { source, unlisted, address }: Spot): ApartReader {
  const known = emitting.apart.get(node) ?? {}
  emitting.apart.set(node, known)
  let made: ApartReader | undefined
  known[`${source} ${unlisted}`] ??= (value, run, parsed, path) => {
    made ??= emitting.make(apartCode(), `read_${identifier(formatAddress(address))}`) as ApartReader
    return made(value, run, parsed, path)
  }
  const reader = known[`${source} ${unlisted}`] as ApartReader
  if (!apartCodes.has(reader)) apartCodes.set(reader, apartCode)
  return reader

  function apartCode(): Code {
    const writer = createWriter()
    const place: Spot = { source, unlisted, address, path: ['...path'] }
    writer.gives('(value, run, parsed, path)', () =>
      writer.line(`return ${emit({ ...emitting, writer }, node, 'value', place)}`),
    )
    return writer.code()
  }
}

/** Writes what is right of a value that may be absent or null; `inside` writes the rest. */
function whenPresent(
  { writer, read, place }: EmitContext,
  node: Node,
  inside: () => void,
  isNullable = node.nullable,
): void {
  const emptyIsAbsent = place.source === 'text' && !keepsEmpty(node)
  if (node.need === 'defaulted') {
    const given =
      typeof node.default === 'object' || typeof node.default === 'function' || isByClock(node)
        ? `defaultOf(${writer.bind(node)}, run, ${writer.path(place)})`
        : node.secret
          ? writer.make(startDefault, node)
          : literal(writer, defaultOf(node, startRun()))
    writer.line(`if (${read} === undefined${emptyIsAbsent ? ` || ${read} === ""` : ''}) ${read} = ${given}`)
    writer.block(isNullable ? `else if (${read} !== null) {` : 'else {', inside)
    return
  }
  const optional = node.need === 'optional'
  if (optional && emptyIsAbsent) writer.line(`if (${read} === "") ${read} = undefined`)
  const tests = [...(optional ? [`${read} !== undefined`] : []), ...(isNullable ? [`${read} !== null`] : [])]
  if (tests.length > 0) writer.block(`if (${tests.join(' && ')}) {`, inside)
  else inside()
}

/**
 * Writes the code that reads the parts of one endpoint. The code takes what is right at once and hands the rest, node by
 * node, to the interpreter, which tells what is wrong. So both say the same, and what is slow is done only for values
 * that are wrong or rare.
 */
import { formatAddress } from '../declare/address.js'
import type { BodyNode, EndpointNode, Part } from '../declare/endpoint.js'
import {
  childrenOf,
  type EitherNode,
  type ListNode,
  type Node,
  type ReadAsNode,
  type RecordNode,
  resolve,
  sentShape,
  type TableNode,
  type TaggedNode,
  type TupleNode,
} from '../declare/node.js'
import { emitScalar, isScalar, literal } from './emit-scalar.js'
import { access, identifier, key, quote } from './quote.js'
import type { Source } from './run.js'
import { sourceOf } from './source.js'
import { formsOf, tellApart, tellsIn } from './tell-apart.js'
import { type Code, createWriter, type Writer } from './writer.js'

/** The name of an endpoint's function, as a debugger shows it. */
export const functionName = ({ name, method, template }: EndpointNode): string => `read_${identifier(name ?? `${method} ${template}`)}`

/** A `Reader` of the endpoint's parts, as code. */
export function emitEndpoint(endpoint: EndpointNode, body: BodyNode | undefined): Code {
  const writer = createWriter()
  writer.block(`return function ${functionName(endpoint)}(path, query, header, cookie, body, run, hasBody, parsed) {`, () => {
    writer.line('if (isPolluted()) return interpreted(path, query, header, cookie, body, run, hasBody, parsed)')
    const part = (part: Part, node: Node, source: Source) => {
      const unlisted = endpoint.unlisted?.[part === 'body' ? 'body' : 'query'] ?? 'refuse'
      if (endpoint.unlisted) writer.line(`run.unlisted = ${quote(unlisted)}`)
      return emit(writer, node, part === 'body' ? part : `${part} ?? {}`, { path: [quote(part)], address: [part], source, unlisted })
    }
    /** Without fields there is nothing to read, and only in a query perhaps something too much. */
    const textPart = (name: Exclude<Part, 'body'>) => {
      const isEmpty = Object.keys(endpoint[name].fields).length === 0
      if (!isEmpty) return part(name, endpoint[name], 'text')
      if (name === 'query') writer.block('if (query !== undefined) {', () => part(name, endpoint[name], 'text'))
      return '{}'
    }
    const [path, query, header, cookie] = (['path', 'query', 'header', 'cookie'] as const).map(textPart)
    const read = writer.name('v')
    writer.line(`let ${read}`)
    if (body) {
      writer.block('if (hasBody) {', () => writer.line(`${read} = ${part('body', body.node, sourceOf(endpoint, body))}`))
    }
    writer.line(`return { path: ${path}, query: ${query}, header: ${header}, cookie: ${cookie}, body: ${read} }`)
  })
  return writer.code()
}

/** Where the code stands that is being written. */
interface Place {
  /** The steps from where its function starts, as code. */
  readonly path: readonly string[]
  /** The address, for comments. */
  readonly address: readonly (string | number)[]
  readonly source: Source
  readonly unlisted: 'refuse' | 'drop' | 'keep'
}

const below = (place: Place, code: string, step: string | number): Place => ({
  ...place,
  path: [...place.path, code],
  address: [...place.address, step],
})
/** The path as code: a constant where no index is in it. */
function pathOf(writer: Writer, { path, address }: Place): string {
  const isConstant = path.length > 0 && path.every((step) => step.startsWith('"'))
  return isConstant
    ? writer.once(path.join(), 'p', (name) => writer.line(`const ${name} = [${path.join(', ')}] // ${quote(formatAddress(address))}`))
    : `[${path.join(', ')}]`
}

/** The variable that counts the names of a record; it starts with those that are needed. */
interface Count {
  readonly name: string
  readonly needed: boolean
}

/** Writes the reading of a value, from the text of an expression; gives the variable with what was read. */
function emit(writer: Writer, node: Node, value: string, outer: Place, count?: Count): string {
  const place =
    node.coerce === undefined || outer.source === 'text'
      ? outer
      : { ...outer, source: node.coerce ? ('coerced' as const) : ('json' as const) }
  const read = writer.name('v')
  writer.line(`let ${read} = ${value} // ${quote(formatAddress(place.address))}`)
  const known = `run, ${writer.bind(node)}, ${read}, ${quote(place.source)}, ${pathOf(writer, place)}`
  const reader = isScalar(node) && !node.secret && !node.readOnly ? 'slowScalar' : 'slow'
  // A needed value that is not there comes to the interpreter, but where a kind has another way.
  const countsHere = count && !(count.needed && comesToInterpreter(node))
  if (countsHere) writer.line(count.needed ? `if (${read} === undefined) ${count.name}--` : `if (${read} !== undefined) ${count.name}++`)
  const slowly = (tried?: string) => {
    const call = `${read} = ${tried === undefined || reader === 'slow' ? `${reader}(${known})` : `slowInstant(${known}, ${tried})`}`
    return count && !countsHere ? `{ if (${read} === undefined) ${count.name}--; ${call} }` : call
  }
  const whole = { writer, read, place, slowly }
  // A declaration that is shared in many places stands in the code once for each: beyond so many, the interpreter reads.
  if (writer.count++ > mostEmitted) writer.line(slowly())
  else if (node.readOnly || (node.secret && !isScalar(node))) writer.line(slowly())
  else if (node.kind === 'readAs') emitReadAs(whole, node)
  else if (node.kind === 'later') emitLater(whole, resolve(node))
  else whenPresent(whole, node, () => emitKind(whole, node))
  return read
}

const mostEmitted = 4000

/** Whether the interpreter reads every value that is absent. */
const comesToInterpreter = ({ kind }: Node) => kind !== 'readAs' && kind !== 'later' && kind !== 'either'

/** What each kind's writer works with: the variable that it reads into, and how the interpreter would. */
interface Whole {
  readonly writer: Writer
  readonly read: string
  readonly place: Place
  /** The line by which the interpreter reads it; `tried` is what came of reading it already. */
  slowly(tried?: string): string
}

/** Writes what is right of a value that may be absent or null; `inside` writes the rest. */
function whenPresent({ writer, read, place }: Whole, node: Node, inside: () => void): void {
  const emptyIsAbsent = place.source === 'text' && !(node.kind === 'text' && node.keepEmpty)
  if (node.need === 'defaulted') {
    const given =
      typeof node.default === 'object' || typeof node.default === 'function'
        ? `defaultOf(${writer.bind(node)})`
        : literal(writer, node.default)
    writer.line(`if (${read} === undefined${emptyIsAbsent ? ` || ${read} === ""` : ''}) ${read} = ${given}`)
    writer.block(node.nullable ? `else if (${read} !== null) {` : 'else {', inside)
    return
  }
  const optional = node.need === 'optional'
  if (optional && emptyIsAbsent) writer.line(`if (${read} === "") ${read} = undefined`)
  const tests = [...(optional ? [`${read} !== undefined`] : []), ...(node.nullable ? [`${read} !== null`] : [])]
  if (tests.length > 0) writer.block(`if (${tests.join(' && ')}) {`, inside)
  else inside()
}

/** Writes `if (test) … else` the interpreter. */
function choose({ writer, slowly }: Whole, test: string, inside: () => void): void {
  writer.block(`if (${test}) {`, inside, `} else ${slowly()}`)
}

type Container = Exclude<Node, { kind: 'readAs' | 'later' }>
function emitKind(whole: Whole, node: Container): void {
  const { writer, read, place, slowly } = whole
  switch (node.kind) {
    case 'list':
      choose(whole, listTest(read, node), () => emitList(whole, node))
      return
    case 'tuple':
      choose(whole, `Array.isArray(${read}) && ${read}.length === ${node.items.length}`, () => emitTuple(whole, node))
      return
    case 'record':
      choose(whole, isPlain(read), () => emitRecord(whole, node, []))
      return
    case 'table':
      choose(whole, tableTest(read, node), () => emitTable(whole, node))
      return
    case 'tagged':
      choose(whole, isPlain(read), () => emitTagged(whole, node, []))
      return
    case 'either':
      emitEither(whole, node)
      return
    case 'file':
      writer.line(slowly())
      return
    case 'anything':
      choose(
        whole,
        place.source === 'text'
          ? `typeof ${read} === "string" && ${read} !== ""`
          : `${read} === null || (${read} !== undefined && typeof ${read} !== "object")`,
        () => undefined,
      )
      return
    default: {
      const { test, value, prepare, tried } = emitScalar(writer, node, read, place.source)
      if (prepare) writer.line(prepare)
      if (test === undefined) writer.line(slowly())
      else if (value === undefined) writer.line(`if (!(${test})) ${slowly(tried)}`)
      else writer.line(`if (${test}) ${read} = ${value}; else ${slowly(tried)}`)
    }
  }
}

/** Names on the prototype of every object have to be looked for on the object itself. */
const property = (object: string, name: string) =>
  name in Object.prototype
    ? `(Object.hasOwn(${object}, ${quote(name)}) ? ${object}${access(name)} : undefined)`
    : `${object}${access(name)}`
/** What the library has parsed itself is plain when it is no list; what a program gives may have any prototype. */
const isPlain = (read: string) =>
  `typeof ${read} === "object" && ${read} !== null && (parsed ? !Array.isArray(${read}) : prototypeOf(${read}) === plain)`

/** Counts the names of an object instead of looking each up: one too many is an unlisted one. */
function emitRecord({ writer, read, place }: Whole, node: RecordNode, implied: readonly (readonly [tag: string, value: string])[]): void {
  const unlisted = node.unlisted ?? place.unlisted
  const fields = Object.entries(node.fields)
  const needed = fields.filter(([, field]) => field.need === 'required').length + implied.length
  const count = writer.name('n')
  if (unlisted !== 'drop') writer.line(`let ${count} = ${needed}`)
  const values = fields.map(([name, field]): [string, Node, string] => {
    const counted = unlisted === 'drop' ? undefined : { name: count, needed: field.need === 'required' }
    return [name, field, emit(writer, field, property(read, name), below(place, quote(name), name), counted)]
  })
  const made = writer.name('o')
  // What may be absent is added behind what is always there, in the order of the declaration.
  const firstOptional = values.findIndex(([, field]) => mayBeAbsent(field))
  const always = firstOptional < 0 ? values : values.slice(0, firstOptional)
  const literal = [
    ...implied.map(([tag, value]) => `${key(tag)}: ${quote(value)}`),
    ...always.map(([name, , value]) => `${key(name)}: ${value}`),
  ]
  writer.line(`const ${made} = ${literal.length > 0 ? `{ ${literal.join(', ')} }` : '{}'}`)
  for (const [name, field, value] of values.slice(always.length)) {
    const add = name === '__proto__' ? `put(${made}, ${quote(name)}, ${value})` : `${made}${access(name)} = ${value}`
    writer.line(mayBeAbsent(field) ? `if (${value} !== undefined) ${add}` : add)
  }
  if (unlisted !== 'drop') {
    writer.line(`for (const _ in ${read}) ${count}--`)
    writer.line(
      `if (${count} !== 0) unlistedIn(run, ${writer.bind(node)}, ${read}, ${made}, ${writer.bind(implied.map(([tag]) => tag))}, ${pathOf(writer, place)})`,
    )
  }
  writer.line(`${read} = ${made}`)
}

function mayBeAbsent(node: Node): boolean {
  if (node.kind === 'later') return false
  return node.need === 'optional' || (node.readOnly !== undefined && node.readOnly !== false && node.need !== 'defaulted')
}

function listTest(read: string, { length }: ListNode): string {
  const [least, most] = length ?? [0, Number.POSITIVE_INFINITY]
  return [
    `Array.isArray(${read})`,
    ...(least > 0 ? [`${read}.length >= ${Number(least)}`] : []),
    ...(most < Number.POSITIVE_INFINITY ? [`${read}.length <= ${Number(most)}`] : []),
  ].join(' && ')
}

function emitList({ writer, read, place }: Whole, node: ListNode): void {
  const [index, made] = [writer.name('i'), writer.name('o')]
  writer.line(`const ${made} = []`)
  writer.block(`for (let ${index} = 0; ${index} < ${read}.length; ${index}++) {`, () => {
    // A hole or `undefined` in an array that a program made counts as null, as in JSON.
    const one = emit(writer, node.item, `${read}[${index}] === undefined ? null : ${read}[${index}]`, below(place, index, -1))
    writer.line(`${made}.push(${one})`)
  })
  if (node.distinct) writer.line(`repeatedIn(run, ${writer.bind(node)}, ${made}, ${pathOf(writer, place)})`)
  writer.line(`${read} = ${made}`)
}

function emitTuple({ writer, read, place }: Whole, { items }: TupleNode): void {
  const values = items.map((item, index) =>
    emit(writer, item, `${read}[${index}] === undefined ? null : ${read}[${index}]`, below(place, String(index), index)),
  )
  writer.line(`${read} = [${values.join(', ')}]`)
}

const tableTest = (read: string, { length }: TableNode) =>
  length ? `${isPlain(read)} && isWithin(Object.keys(${read}).length, ${Number(length[0])}, ${Number(length[1])})` : isPlain(read)

function emitTable({ writer, read, place }: Whole, node: TableNode): void {
  const [name, made] = [writer.name('s'), writer.name('o')]
  writer.line(`const ${made} = {}`)
  writer.block(`for (const ${name} of Object.keys(${read})) {`, () => {
    if (node.names)
      writer.line(
        `if (!matches(${writer.bind(node.names)}, ${name})) misnamedIn(run, ${writer.bind(node)}, ${name}, ${pathOf(writer, place)})`,
      )
    const one = emit(writer, node.value, `${read}[${name}]`, below(place, name, '*'))
    writer.line(`if (${one} !== undefined) put(${made}, ${name}, ${one})`)
  })
  writer.line(`${read} = ${made}`)
}

function emitTagged(whole: Whole, node: TaggedNode, implied: readonly (readonly [tag: string, value: string])[]): void {
  const { writer, read, slowly } = whole
  // A branch inside a branch has no place of its own: the interpreter starts with the outermost.
  writer.block(`switch (${property(read, node.tag)}) {`, () => {
    for (const [value, branch] of Object.entries(node.branches)) {
      const shape = sentShape(branch)
      const tags = [...implied, [node.tag, value] as const]
      writer.block(`case ${quote(value)}: {`, () => {
        if (shape.kind === 'tagged') emitTagged(whole, shape, tags)
        else emitRecord(whole, shape as RecordNode, tags)
        writer.line('break')
      })
    }
    writer.line(`default: ${slowly()}`)
  })
}

/** Reads the branch that the value names, where the branches can be told apart; else by trial. */
function emitEither(whole: Whole, node: EitherNode): void {
  const { writer, read, place, slowly } = whole
  const apart = tellApart(node)
  if (!apart || !tellsIn(apart, place.source)) {
    // Where unions lie in unions, trials would multiply: the interpreter knows what it has tried.
    if (isFork(node) && forksBelow(node)) writer.line(slowly())
    else emitTrials(whole, node.branches)
    return
  }
  writer.block(`if (${isPlain(read)}) {`, () =>
    writer.block(`switch (${property(read, apart.name)}) {`, () => {
      for (const branch of new Set(apart.branches.values())) {
        const values = [...apart.branches].filter(([, one]) => one === branch)
        writer.block(`${values.map(([value]) => `case ${literal(writer, value)}: `).join('')}{`, () => {
          const before = writer.name('n')
          writer.line(`const ${before} = countFaults(run)`)
          const made = emit(writer, branch, read, place)
          writer.line(`${read} = countFaults(run) > ${before} ? undefined : ${made}`)
          writer.line('break')
        })
      }
      writer.line(`default: ${slowly()}`)
    }),
  )
  writer.block('else {', () => (apart.others.length > 0 ? emitTrials(whole, apart.others) : writer.line(slowly())))
}

/** Whether one value may be tried by several branches to its depth. */
function isFork(node: EitherNode): boolean {
  const forms = node.branches.map(formsOf)
  const deep = (kinds: readonly Node['kind'][]) => forms.filter((some) => some.some(({ kind }) => kinds.includes(kind))).length > 1
  return deep(['list', 'tuple', 'anything']) || (deep(['record', 'table', 'tagged', 'anything']) && !tellApart(node))
}

function forksBelow(node: Node): boolean {
  const seen = new Set<Node>()
  const look = (one: Node): boolean => {
    if (seen.has(one)) return one === node
    seen.add(one)
    return (one !== node && one.kind === 'either' && isFork(one)) || childrenOf(one).some(([, child]) => look(child))
  }
  return look(node)
}

/** Tries each branch; what they found wrong is taken back, and told by the interpreter where none takes the value. */
function emitTrials({ writer, read, place, slowly }: Whole, branches: EitherNode['branches']): void {
  const [sent, before, taken] = [writer.name('v'), writer.name('m'), writer.name('t')]
  writer.line(`const ${sent} = ${read}, ${before} = mark(run)`)
  writer.line(`let ${taken} = ${sent} === undefined${place.source === 'text' ? ` || ${sent} === ""` : ''}`)
  writer.line(`if (${taken}) ${slowly()}`)
  for (const branch of branches) {
    writer.block(`if (!${taken}) {`, () => {
      writer.line(`${read} = ${emit(writer, branch, sent, place)}`)
      writer.line(`${taken} = isClean(run, ${before})`)
    })
  }
  writer.block(`if (!${taken}) {`, () => {
    writer.line(`goBack(run, ${before})`)
    writer.line(`${read} = ${sent}`)
    writer.line(slowly())
  })
}

function emitReadAs({ writer, read, place }: Whole, node: ReadAsNode): void {
  const [before, sent] = [writer.name('n'), writer.name('v')]
  writer.line(`const ${sent} = ${read}, ${before} = countFaults(run)`)
  writer.line(`${read} = ${emit(writer, node.base, sent, place)}`)
  writer.line(
    `if (${read} !== undefined) ${read} = countFaults(run) > ${before} ? undefined : readerIn(run, ${writer.bind(node)}, ${read}, ${sent}, ${pathOf(writer, place)})`,
  )
}

/** Declarations that hold themselves have functions of their own, which start where they are entered. */
function emitLater({ writer, read, place, slowly }: Whole, node: Node): void {
  const id = `${writer.bind(node)} ${place.source} ${place.unlisted}`
  const reader = writer.once(id, 'later', (name) => {
    writer.block(`function ${name}(value, run, parsed) {`, () =>
      writer.line(`return ${emit(writer, node, 'value', { ...place, path: [], address: ['later'] })}`),
    )
  })
  writer.line(`if (run.depth < run.deepest) ${read} = enter(run, ${reader}, ${read}, ${pathOf(writer, place)}, parsed); else ${slowly()}`)
}

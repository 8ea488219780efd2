/** Declarations that make no sense are refused where they are declared, with the address and the mend. */

import { wordFault } from '../answer/messages.js'
import { EACH, formatAddress, type Path } from '../declare/address.js'
import type { Part } from '../declare/endpoint.js'
import { readMediaRange } from '../declare/media-range.js'
import { mistake } from '../declare/mistake.js'
import { childrenOf, type Node, type RecordNode, sentShape, tidyings } from '../declare/node.js'
import { isExponential } from '../declare/pattern.js'
import { readSize, readSpan } from '../declare/units.js'
import { encode, faultsOf } from './encode.js'
import { compareDecimals } from './numbers.js'
import { readDeclaredDay, readMoment } from './times.js'

const common = 'need kind nullable default title description examples deprecated readOnly secret messages coerce name'
const own: { readonly [K in Node['kind']]: string } = {
  text: 'length pattern format tidy keepEmpty',
  integer: 'min max above below step',
  number: 'min max above below step',
  bigInteger: 'min max above below step',
  decimal: 'digits scale min max',
  flag: '',
  instant: 'from until',
  day: 'from until zone',
  duration: 'min max',
  choice: 'values titles',
  constant: 'value',
  list: 'item length distinct style explode',
  tuple: 'items',
  record: 'fields unlisted rules',
  table: 'value length names',
  tagged: 'tag branches',
  either: 'branches',
  later: 'make',
  readAs: 'base read code message write',
  anything: '',
  file: 'bytes types',
}

/** Nodes that were found sound: declarations share many. */
const sound = new WeakSet<Node>()

/** @throws DeclarationError where a node, or one below it, makes no sense. */
export function checkSound(where: string, node: Node, path: Path): void {
  if (sound.has(node)) return
  if (typeof node !== 'object' || node === null || !Object.hasOwn(own, node.kind))
    refuse(where, path, 'is no field', 'Declare it with text(), integer(), record() or another builder')
  sound.add(node)
  try {
    const known = `${common} ${own[node.kind]}`.split(' ')
    const unknown = Object.keys(node).find((option) => !known.includes(option))
    if (unknown !== undefined)
      refuse(where, path, `${node.kind} has no option ${unknown}`, `Its options are ${own[node.kind] || 'those of every field'}`)
    for (const [step, child] of childrenOf(node)) checkSound(where, child, step === undefined ? path : [...path, step])
    if (!hasEnd(node)) refuse(where, path, 'holds itself without end', 'Make the field that holds it optional, nullable or a list')
    checkOwn(node, (what, mend) => refuse(where, path, what, mend))
    checkDefault(where, node, path)
  } catch (error) {
    sound.delete(node)
    throw error
  }
}

function refuse(where: string, path: Path, what: string, mend: string): never {
  mistake(`${where}, ${formatAddress(path)}`, what, mend)
}

type Refuse = (what: string, mend: string) => never

function checkOwn(node: Node, refuse: Refuse): void {
  switch (node.kind) {
    case 'text':
      checkLength(node.length, refuse)
      checkPattern('pattern', node.pattern, refuse)
      checkTidy(node.tidy, refuse)
      return
    case 'integer':
    case 'number':
    case 'bigInteger': {
      const lows = [node.min, node.above].filter((limit) => limit !== undefined)
      const highs = [node.max, node.below].filter((limit) => limit !== undefined)
      for (const limit of [...lows, ...highs]) if (Number.isNaN(limit)) refuse('a limit is not a number', 'Give a number')
      for (const low of lows)
        for (const high of highs) checkOrder(low, high, low > high || (low === high && (low === node.above || high === node.below)), refuse)
      if (node.step !== undefined && !(node.step > 0)) refuse(`step is ${node.step}`, 'Give a step above zero')
      return
    }
    case 'decimal': {
      const { min, max, digits, scale } = node
      for (const limit of [min, max])
        if (limit !== undefined && !/^-?\d+(\.\d+)?$/.test(limit)) refuse(`the limit "${limit}" is no decimal`, 'Write it as "12.50"')
      if (min !== undefined && max !== undefined) checkOrder(min, max, compareDecimals(min, max) > 0, refuse)
      for (const count of [digits, scale])
        if (count !== undefined && !(Number.isInteger(count) && count >= 0))
          refuse(`${count} is no number of digits`, 'Give a whole number')
      if (digits !== undefined && scale !== undefined) checkOrder(scale, digits, scale > digits, refuse)
      return
    }
    case 'instant': {
      const { from, until } = node
      for (const limit of [from, until])
        if (limit !== undefined && Number.isNaN(readMoment(limit, 0)))
          refuse(`"${limit}" is no instant`, 'Write it as 2031-03-01T22:30:00Z, or from now as +36h or -15m')
      const relative = [from, until].filter((limit) => /^[+-]/.test(String(limit))).length
      if (from !== undefined && until !== undefined && relative !== 1)
        checkOrder(from, until, readMoment(from, 0) > readMoment(until, 0), refuse)
      return
    }
    case 'day': {
      const { from, until, zone } = node
      try {
        new Intl.DateTimeFormat('en', { timeZone: zone })
      } catch {
        refuse(`"${zone}" is no time zone`, 'Give an IANA name such as Europe/Vienna')
      }
      const [low, high] = [from, until].map((limit) =>
        limit === undefined
          ? undefined
          : (readDeclaredDay(limit, 0) ?? refuse(`"${limit}" is no day`, 'Write it as 2031-03-01, or from today as +2d or -7d')),
      )
      const relative = [from, until].filter((limit) => /^[+-]/.test(String(limit))).length
      if (low !== undefined && high !== undefined && relative !== 1) checkOrder(from, until, low > high, refuse)
      return
    }
    case 'duration': {
      const { min, max } = node
      for (const limit of [min, max])
        if (limit !== undefined && Number.isNaN(readSpan(limit))) refuse(`"${limit}" is no span`, 'Write it as 30s, 15m, 36h or 7d')
      if (min !== undefined && max !== undefined) checkOrder(min, max, readSpan(min) > readSpan(max), refuse)
      return
    }
    case 'choice': {
      if (node.values.length === 0) refuse('the choice is empty', 'Give it a value')
      const texts = node.values.map(String)
      const twice = texts.find((text, index) => texts.indexOf(text) !== index)
      if (twice !== undefined) refuse(`the choice has ${twice} twice`, 'Name each value once')
      return
    }
    case 'list': {
      checkLength(node.length, refuse)
      const item = sentShape(node.item)
      if (typeof node.distinct === 'string' && (item.kind !== 'record' || !Object.hasOwn(item.fields, node.distinct)))
        refuse(`its elements have no field ${node.distinct}`, 'Let distinct name a field of the elements')
      return
    }
    case 'table':
      checkLength(node.length, refuse)
      checkPattern('names', node.names, refuse)
      return
    case 'tagged': {
      if (Object.keys(node.branches).length === 0) refuse('the union has no branch', 'Give it a branch')
      for (const [value, branch] of Object.entries(node.branches)) {
        const shape = sentShape(branch)
        if (branch.kind === 'readAs' || (shape.kind !== 'record' && shape.kind !== 'tagged'))
          refuse(`the branch ${value} is no record`, 'Make each branch a record()')
        if ((shape.kind === 'record' && Object.hasOwn(shape.fields, node.tag)) || (shape.kind === 'tagged' && shape.tag === node.tag)) {
          refuse(`the branch ${value} declares ${node.tag}, the tag`, 'Leave the tag out of the branches: the union implies it')
        }
      }
      return
    }
    case 'file':
      if (node.bytes !== undefined && !(readSize(node.bytes) >= 0))
        refuse(`bytes is "${node.bytes}"`, 'Write it as 64kB or 5MB, or as a number')
      for (const type of node.types ?? [])
        if (readMediaRange(type)?.type !== type) refuse(`"${type}" is no media type`, "Write it as 'image/png' or 'image/*', in lower case")
      return
    case 'either':
      if (node.branches.length === 0) refuse('the union has no branch', 'Give it a branch')
      return
    default:
  }
}

function checkOrder(low: unknown, high: unknown, wrong: boolean, refuse: Refuse): void {
  if (wrong) refuse(`the lower limit ${low} leaves nothing below the upper limit ${high}`, 'Swap or mend them')
}

function checkTidy(tidy: readonly string[] = [], refuse: Refuse): void {
  const unknown = tidy.find((one) => !(tidyings as readonly string[]).includes(one))
  if (unknown !== undefined) refuse(`there is no tidying "${unknown}"`, `Name some of ${tidyings.join(', ')}`)
  for (const both of [
    ['NFC', 'NFKC'],
    ['lower', 'upper'],
  ])
    if (both.every((one) => tidy.includes(one))) refuse(`a text is tidied to ${both.join(' or ')}, not to both`, 'Name one of them')
}

function checkLength(length: readonly [number, number] | undefined, refuse: Refuse): void {
  if (!length) return
  const [least, most] = length
  if (!(Number.isInteger(least) && least >= 0 && most >= 0))
    refuse(`the length [${least}, ${most}] counts nothing`, 'Give two whole numbers from zero on')
  checkOrder(least, most, least > most, refuse)
}

function checkPattern(option: string, pattern: RegExp | undefined, refuse: Refuse): void {
  if (pattern && isExponential(pattern)) {
    refuse(
      `the ${option} ${pattern} can take exponential time on a text made for it`,
      'Write it so that each text matches in one way: no repeat of what repeats itself, no two branches that take the same text',
    )
  }
}

/** Whether a declaration has a value that ends. */
function hasEnd(node: Node, inside: ReadonlySet<Node> = new Set()): boolean {
  if (node.need !== 'required' || node.nullable || ending.has(node)) return true
  if (inside.has(node)) return false
  const ends = endsInside(node, inside)
  if (ends) ending.add(node)
  return ends
}
const ending = new WeakSet<Node>()

function endsInside(node: Node, inside: ReadonlySet<Node>): boolean {
  const below = new Set([...inside, node])
  const ends = (child: Node) => hasEnd(child, below)
  switch (node.kind) {
    case 'list':
      return (node.length?.[0] ?? 0) === 0 || ends(node.item)
    case 'table':
      return (node.length?.[0] ?? 0) === 0 || ends(node.value)
    case 'tagged':
    case 'either':
      return childrenOf(node).length === 0 || childrenOf(node).some(([, child]) => ends(child))
    default:
      return childrenOf(node).every(([, child]) => ends(child))
  }
}

function checkDefault(where: string, node: Node, path: Path): void {
  if (node.need !== 'defaulted' || typeof node.default === 'function') return
  const { readOnly: _, ...sendable } = node
  const [fault] = faultsOf(sendable as Node, encode(node, node.default))
  if (fault)
    refuse(where, [...path, ...fault.path], `its own default is rejected: it ${wordFault(fault)}`, 'Give a default that the field takes')
}

const flat = ['list', 'tuple', 'record', 'table', 'tagged']

/**
 * What a part that is sent as text can carry: values and lists of them; in a query or a form also records of them; files in
 * `multipart/form-data` alone.
 */
export function checkTextPart(where: string, part: Exclude<Part, 'body'> | 'form' | 'multipart', node: RecordNode): void {
  const hasPairs = part === 'query' || part === 'form' || part === 'multipart'
  for (const [name, field] of Object.entries(node.fields)) {
    const path = [hasPairs && part !== 'query' ? 'body' : part, name]
    if (part === 'path' && field.need !== 'required')
      refuse(where, path, 'is a path parameter and may not be left out', 'Take away optional or default')
    const shape = sentShape(field)
    if (part !== 'multipart' && holdsFile(shape))
      refuse(where, path, 'a file comes in no such part', "Declare it in a body of 'multipart/form-data'")
    if (!flat.includes(shape.kind)) continue
    const inside = childrenOf(shape).map(([step, child]) => [step ?? EACH, sentShape(child)] as const)
    const deep = inside.find(([, child]) => flat.includes(child.kind) && !(hasPairs && shape.kind !== 'list' && child.kind === 'list'))
    const takes = shape.kind === 'list' || shape.kind === 'tuple' || (hasPairs && (shape.kind === 'record' || shape.kind === 'table'))
    const single = part === 'cookie' && (shape.kind === 'list' || shape.kind === 'tuple')
    if (!takes || deep || single)
      refuse(
        where,
        path,
        `a ${part} has no way to carry this ${shape.kind}`,
        'Declare values, or lists of values; what is nested goes into the body',
      )
  }
}

const holdsFile = (node: Node): boolean => node.kind === 'file' || (node.kind === 'list' && sentShape(node.item).kind === 'file')

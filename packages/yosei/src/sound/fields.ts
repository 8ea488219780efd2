/** Declarations that make no sense are refused where they are declared, with the address and the mend. */

import { encode, faultsOf, startRun } from '../engine/interpret.js'
import { isFieldValue } from '../grammar/quoted.js'
import { childrenOf, kinds, shapeOf } from '../kinds/brought.js'
import { kindOf, type Node, type SoundOf } from '../kinds/kind.js'
import { everyKind, sounds } from '../kinds/kinds.js'
import { readNode } from '../kinds/reading.js'
import type { RecordNode } from '../kinds/record.js'
import { holdsFile, sentShape } from '../kinds/shape.js'
import { isPartName } from '../read/form.js'
import { formatAddress, type Path } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { mistake } from '../terms/mistake.js'
import { nearestOf } from '../terms/nearest.js'
import {
  aFlag,
  aFunction,
  anything,
  aText,
  byName,
  checkOptions,
  eitherOf,
  listOf,
  type Options,
  oneOf,
  shared,
  shown,
} from '../terms/option-types.js'
import type { Part } from '../terms/parts.js'
import type { Common } from '../terms/types.js'
import { english } from '../words/english.js'
import { wordFault } from '../words/messages.js'

/** The options that every field has. */
const common: Options<Common<unknown>> = shared({
  optional: aFlag,
  nullable: aFlag,
  default: anything,
  title: aText,
  description: aText,
  examples: listOf(anything),
  deprecated: aFlag,
  because: byName(aText),
  readOnly: oneOf(true, false, 'drop'),
  secret: aFlag,
  messages: eitherOf(aText, byName(eitherOf(aText, aFunction('({ limit }) => `…`')))),
  coerce: aFlag,
  name: aText,
})

/** Nodes that were found sound: declarations share many. */
const sound = new WeakSet<Node>()

/** @throws DeclarationError if a node, or one below it, makes no sense. */
export function checkSound(where: string, node: Node, path: Path): void {
  if (sound.has(node)) return
  if (typeof node !== 'object' || node === null || !Object.hasOwn(everyKind, node.kind))
    refuse(where, path, 'is no field', 'Declare it with text(), integer(), record() or another builder')
  sound.add(node)
  try {
    const own = sounds[node.kind] as SoundOf<Node>
    const { kind: _, need: __, ...options } = node
    checkOptions(options, { ...own.options, ...common }, node.kind, (what, mend, option) =>
      refuse(where, path, what, mend, option),
    )
    for (const [step, child] of childrenOf(node)) checkSound(where, child, step === undefined ? path : [...path, step])
    if (!hasEnd(node))
      refuse(where, path, 'holds itself without end', 'Make the field that holds it optional, nullable or a list')
    own.check(node, (what, mend, option) => refuse(where, path, what, mend, option))
    checkMessages(where, node, path)
    checkDefault(where, node, path)
    checkExamples(where, node, path)
  } catch (error) {
    sound.delete(node)
    throw error
  }
}

function refuse(where: string, path: Path, what: string, mend: string, option?: string): never {
  mistake(where, what, mend, { address: formatAddress(path), option })
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
  return kindOf(kinds, node).hasEnd(node, (child) => hasEnd(child, below))
}

const formed = ['wrong_format', 'unreal_date', 'too_early', 'too_late'] as const
const numeric = ['not_whole', 'out_of_range', 'below_min', 'above_max', 'not_a_step', 'too_many_digits'] as const
const formattedNumber = /* @__PURE__ */ (numeric as readonly Code[]).concat('wrong_format')
const counted = ['too_few', 'too_many', 'repeated'] as const
const files = ['too_large', 'wrong_media_type', 'sent_twice'] as const
/** The codes that a kind gives itself, besides those that every field and every rule can give; `any` of what stands for others. */
const codesOf: { readonly [K in Node['kind']]: readonly Code[] | 'any' } = {
  text: ['too_short', 'too_long', 'wrong_pattern', 'wrong_format', 'unreal_date'],
  integer: numeric,
  number: numeric,
  bigInteger: numeric,
  decimal: formattedNumber,
  flag: [],
  instant: formed,
  day: [...formed, 'not_a_choice'],
  timeOfDay: formed,
  duration: formattedNumber,
  choice: ['not_a_choice'],
  constant: ['not_constant'],
  anything: ['too_large'],
  list: counted,
  tuple: counted,
  record: ['unlisted'],
  table: ['too_few', 'too_many', 'wrong_pattern'],
  tagged: ['not_a_choice', 'unlisted'],
  file: files,
  either: 'any',
  schema: 'any',
  later: 'any',
  readAs: 'any',
}
/** Codes that are reported at any field: by how it was sent, or by a rule. */
const anywhereTold: readonly Code[] = [
  'missing',
  'null_not_allowed',
  'read_only',
  'wrong_type',
  'unlisted',
  'sent_twice',
  'bad_syntax',
  'bad_encoding',
  'too_large',
  'repeated',
  'out_of_order',
  'overlaps',
  'not_among',
  'in_a_cycle',
  'closed_then',
  'too_close',
  'too_far',
  'unequal',
  'equal_not_allowed',
  'none_present',
  'not_together',
  'more_than_one',
  'needed',
  'not_allowed_here',
  'busy',
]

/** Words for an error that this field never has. Other codes may be a rule's own. */
function checkMessages(where: string, { kind, messages }: Node, path: Path): void {
  const own = codesOf[kind]
  if (typeof messages !== 'object' || own === 'any') return
  const able: readonly string[] = [...own, ...anywhereTold]
  // A sum is blamed with the codes of limits.
  const ofRules = kind === 'list' ? ['above_max', 'below_min'] : []
  for (const code of Object.keys(messages)) {
    const [first = ''] = code.split('.')
    if (able.includes(first) || ofRules.includes(first)) continue
    const meant = nearestOf(first, able)
    if (Object.hasOwn(english, first))
      refuse(
        where,
        path,
        `messages has words for ${code}, which this field never gives`,
        `Its codes are ${own.join(', ') || 'those of every field'}`,
        'messages',
      )
    if (meant !== undefined && isOneEdit(first, meant))
      refuse(
        where,
        path,
        `messages has words for ${code}, which is no code`,
        `It may be ${meant} that is meant`,
        'messages',
      )
  }
}
/** A code of a rule's own is seldom one letter away from one of ours. */
const isOneEdit = (a: string, b: string) =>
  Math.abs(a.length - b.length) <= 1 && [...a].filter((one) => !b.includes(one)).length <= 1

function checkDefault(where: string, node: Node, path: Path): void {
  // A reader reads the default of its base.
  if (node.need !== 'defaulted' || node.default === undefined || typeof node.default === 'function') return
  const { readOnly: _, ...sendable } = node
  const [fault] = faultsOf(sendable as Node, encode(node, node.default))
  if (fault)
    refuse(
      where,
      [...path, ...fault.path],
      `its own default is rejected: it ${wordFault(fault)}`,
      'Give a default that the field takes',
      'default',
    )
  const read = readNode(sendable as Node, encode(node, node.default), 'json', startRun())
  if (!isAlike(read, node.default))
    refuse(
      where,
      path,
      `its own default is ${shown(node.default)}, and not what the field is read to`,
      `Give it as handlers get it, which is ${shown(read)}`,
      'default',
    )
}

/** Whether a value has the types of another, as far as it goes. */
function isAlike(read: unknown, given: unknown): boolean {
  if (typeof read !== typeof given || read instanceof Date !== given instanceof Date) return false
  if (typeof given !== 'object' || given === null || read === null) return true
  return Object.entries(given).every(
    ([name, one]) => one === undefined || isAlike((read as { [name: string]: unknown })[name], one),
  )
}

/** Examples are what a client sends, or what that is read to. */
function checkExamples(where: string, { default: _, readOnly: __, ...node }: Node, path: Path): void {
  for (const example of node.examples ?? []) {
    const [fault] = faultsOf(node as Node, encode(node as Node, example))
    if (fault)
      refuse(
        where,
        [...path, ...fault.path],
        `its own example is rejected: it ${wordFault(fault)}`,
        'Give examples that the field takes',
        'examples',
      )
  }
}

const isFlat = (node: Node) => shapeOf(node) === 'list' || shapeOf(node) === 'object'

type TextPart = Exclude<Part, 'body'> | 'form' | 'multipart'

/**
 * What a part that is sent as text can carry: values and lists of them; in a query or a form also records of them;
 * files in `multipart/form-data` alone.
 */
export function checkTextPart(where: string, part: TextPart, node: RecordNode): void {
  const hasPairs = part === 'query' || part === 'form' || part === 'multipart'
  for (const [name, field] of Object.entries(node.fields)) {
    const path = [hasPairs && part !== 'query' ? 'body' : part, name]
    if (part === 'path' && field.need !== 'required')
      refuse(where, path, 'is a path parameter and may not be left out', 'Take away optional or default')
    const shape = sentShape(field)
    const isFile = shape.kind === 'file' || (shape.kind === 'list' && sentShape(shape.item).kind === 'file')
    if (holdsFile(field, childrenOf) && !(part === 'multipart' && isFile))
      refuse(where, path, 'a file comes in no such part', "Declare it in a body of 'multipart/form-data'")
    if (part === 'multipart' && !isPartName(name))
      refuse(where, path, 'a name of a form has no backslash, and no %22, %0D or %0A', 'Choose another name')
    checkCarried(where, part, path, shape)
    if (!isFlat(shape)) continue
    const isList = shape.kind === 'list' || shape.kind === 'tuple'
    // What has a part of its own in a form with files may be JSON there.
    const takes =
      part === 'multipart' ||
      (isList
        ? part !== 'cookie' && childrenOf(shape).every(([, child]) => !isFlat(sentShape(child)))
        : hasPairs && isPairs(shape))
    if (!takes)
      refuse(
        where,
        path,
        `a ${part} has no way to carry this ${shape.kind}`,
        'Declare values, or lists of values; what is nested goes into the body',
      )
  }
}

/** Refuses a choice and a constant of which no request can ever carry a value. */
function checkCarried(where: string, part: TextPart, path: Path, shape: Node): void {
  const isList = shape.kind === 'list'
  const of = isList ? sentShape(shape.item) : shape
  const values = of.kind === 'choice' ? of.values : of.kind === 'constant' ? [of.value] : []
  const style = isList && shape.explode !== true ? shape.style : undefined
  const isLost = (text: string) => {
    if (isLoneSurrogate(text)) return part !== 'multipart'
    if (part === 'header') return !isFieldValue(text) || (isList && text.includes(','))
    if (part === 'path') return text === '' || (!isList && (text === '.' || text === '..'))
    if (text === '') return part !== 'multipart'
    return (
      style !== undefined &&
      style !== 'form' &&
      part !== 'multipart' &&
      text.includes(style === 'pipeDelimited' ? '|' : ' ')
    )
  }
  const lost = values.find((value) => typeof value === 'string' && isLost(value))
  if (lost !== undefined)
    refuse(
      where,
      path,
      `a ${part} has no way to carry ${JSON.stringify(lost)}${style === undefined ? '' : ` as an element of this style`}`,
      'Choose another value, or move the field to a JSON body',
    )
}
const isLoneSurrogate = (text: string) => /\p{Surrogate}/u.test(text)

/** Whether names in brackets can carry it: values, lists of them, and records and tables of such. */
function isPairs(node: Node, seen = new Set<Node>()): boolean {
  if (!isFlat(node) || seen.has(node)) return true
  seen.add(node)
  const children = childrenOf(node).map(([, child]) => sentShape(child))
  if (node.kind === 'list' || node.kind === 'tuple') return children.every((child) => !isFlat(child))
  return (node.kind === 'record' || node.kind === 'table') && children.every((child) => isPairs(child, seen))
}

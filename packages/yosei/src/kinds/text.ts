/** A text: in JSON a string; elsewhere the text as it stands after decoding. */
import { type Format, formatOf, formats } from '../grammar/formats.js'
import { normalized } from '../grammar/normal.js'
import type { Bounds, Declared } from '../terms/declared.js'
import { aFlag, aNameIn, aPattern, bounds, listOf } from '../terms/option-types.js'
import type { Refuse, SoundOf, Test } from './kind.js'
import { checkPattern, isBeyond, matches, mostMatched } from './patterns.js'
import type { Fault } from './run.js'
import { type Check, checkLength, scalar, scalarCode, Wrong } from './scalar.js'
import type { Writer } from './writer.js'

declare module './kind.js' {
  interface Kinds {
    text: TextNode
  }
}
export interface TextNode extends Declared {
  readonly kind: 'text'
  readonly length?: Bounds
  readonly pattern?: RegExp
  /** Whether the time that the pattern takes is not checked. */
  readonly trusted?: boolean
  readonly format?: Format
  readonly tidy?: readonly Tidying[]
  readonly keepEmpty?: boolean
}

/** What may be done to a text before it is checked, in the order in which it is done. */
const tidyings = {
  NFC: (text: string) => normalized(text, 'NFC'),
  NFKC: (text: string) => normalized(text, 'NFKC'),
  trim: (text: string) => text.trim(),
  squeeze: (text: string) => text.replace(/\s+/g, ' '),
  compact: (text: string) => text.replace(/\s+/g, ''),
  lower: (text: string) => text.toLowerCase(),
  upper: (text: string) => text.toUpperCase(),
}
/** The same as code. */
const tidyingCodes: { readonly [T in Tidying]: (text: string) => string } = {
  NFC: (text) => `normalized(${text}, "NFC")`,
  NFKC: (text) => `normalized(${text}, "NFKC")`,
  trim: (text) => `${text}.trim()`,
  squeeze: (text) => `${text}.replace(/\\s+/g, " ")`,
  compact: (text) => `${text}.replace(/\\s+/g, "")`,
  lower: (text) => `${text}.toLowerCase()`,
  upper: (text) => `${text}.toUpperCase()`,
}
export type Tidying = keyof typeof tidyings
const inOrder = /* @__PURE__ */ Object.entries(tidyings) as (readonly [Tidying, (typeof tidyings)[Tidying]])[]

export const textWords = {
  'wrong_type.text': 'must be text',
  too_short: 'must have at least {limit} {limit|character|characters}',
  'too_short.tidied': 'must have at least {limit} {limit|character|characters}, not counting extra spaces',
  too_long: 'must have at most {limit} {limit|character|characters}',
  wrong_format: 'must have the form of a {limit}',
  wrong_pattern: 'must match the pattern {limit}',
  'wrong_pattern.examples': 'must be like {examples}; the pattern is {limit}',
  'wrong_pattern.titled': 'must be a valid {title}; the pattern is {limit}',
  'wrong_pattern.titledExamples': 'must be a valid {title} such as {examples}; the pattern is {limit}',
  'form.text': 'text',
}

export const text = scalar<TextNode, string>({
  words: textWords,
  measures: ({ format }) =>
    format === 'time' || format === 'date' ? [format] : format === 'date-time' ? ['instant'] : ['text'],
  parse: (node, value) => (typeof value === 'string' ? tidied(node, value) : new Wrong('wrong_type')),
  checks: ({ length, pattern, format, ...node }) => [
    ...(length ? [checkCount(length)] : []),
    ...(pattern ? [checkMatch(pattern, length, node)] : []),
    ...(format ? [checkForm(format)] : []),
  ],
})

/** Whether its options make sense. */
export const textSound: SoundOf<TextNode> = {
  options: {
    length: bounds,
    pattern: aPattern,
    trusted: aFlag,
    format: aNameIn(formats),
    tidy: listOf(aNameIn(tidyings)),
    keepEmpty: aFlag,
  },
  check({ length, pattern, trusted, tidy = [] }, refuse) {
    checkLength(length, refuse)
    checkPattern('pattern', pattern, { trusted, length: length && finite(length[1]) }, refuse)
    checkTidy(tidy, refuse)
  },
}

const finite = (length: number) => (length < Number.POSITIVE_INFINITY ? length : undefined)

function checkTidy(tidy: readonly Tidying[], refuse: Refuse): void {
  const pairs: readonly (readonly Tidying[])[] = [
    ['NFC', 'NFKC'],
    ['lower', 'upper'],
  ]
  for (const pair of pairs)
    if (pair.every((one) => tidy.includes(one)))
      refuse(`a text is tidied to ${pair.join(' or ')}, not to both`, 'Name one of them', 'tidy')
}

/** A text as it is checked. */
export function tidied({ tidy }: TextNode, sent: string): string {
  let text = sent
  if (tidy) for (const [name, tidied] of inOrder) if (tidy.includes(name)) text = tidied(text)
  return text
}

const isOver = (text: string, most: number) => text.length > most && codePoints(text) > most

/** A code point is one or two UTF-16 units, so most lengths are known without counting. */
const checkCount =
  ([least, most]: Bounds): Check<string> =>
  (text, sent) => {
    if (text.length < 2 * least && codePoints(text) < least)
      return new Wrong('too_short', least, { variant: text.length < String(sent).length ? 'tidied' : undefined })
    return isOver(text, most) ? new Wrong('too_long', most) : undefined
  }

function checkMatch(
  pattern: RegExp,
  [, most]: Bounds = [0, Number.POSITIVE_INFINITY],
  shown: Pick<TextNode, 'examples' | 'title'>,
): Check<string> {
  return (text, _, run) => {
    if (matches(pattern, text) || isOver(text, most)) return undefined
    if (isBeyond(pattern, text)) return new Wrong('too_long', mostMatched)
    return new Wrong('wrong_pattern', pattern.source, run.secrecy > 0 ? {} : patternShown(shown))
  }
}

function checkForm(format: Format): Check<string> {
  const codeOf = (text: string) => formatOf(format)?.check(text)
  return (text, _, __, source) => {
    const code = codeOf(text)
    if (!code) return undefined
    const lostPlus = source === 'text' && /email$/.test(format) && codeOf(text.replace(' ', '+')) === undefined
    return new Wrong(code, format, { variant: format, hint: lostPlus ? 'plus' : undefined })
  }
}

/** A pattern says little to people: the field's examples, or its title, say more. */
export function patternShown({
  examples,
  title,
}: Pick<TextNode, 'examples' | 'title'>): Pick<Fault, 'variant' | 'about'> {
  const named = title === undefined ? {} : { title }
  if (examples && examples.length > 0)
    return {
      variant: title === undefined ? 'examples' : 'titledExamples',
      about: { ...named, examples: examples.slice(0, 3) },
    }
  return title === undefined ? {} : { variant: 'titled', about: named }
}

/** Code points, not UTF-16 units: an emoji counts once. */
export function codePoints(text: string): number {
  let count = text.length
  for (let i = 0; i < text.length - 1; i++)
    if ((text.charCodeAt(i) & 0xfc00) === 0xd800 && (text.charCodeAt(i + 1) & 0xfc00) === 0xdc00) count--
  return count
}

export const formatCheck = (name: keyof typeof formats) => formats[name].check

export const textCode = scalarCode<TextNode>((writer: Writer, node, read, { source }): Test => {
  const changes = inOrder.filter(([name]) => node.tidy?.includes(name)).map(([name]) => tidyingCodes[name])
  const text = changes.length > 0 ? writer.name('t') : read
  const tests = [`typeof ${read} === "string"`]
  if (source === 'text' && !node.keepEmpty) tests.push(`${read} !== ""`)
  if (changes.length > 0) tests.push(`(${text} = ${changes.reduce((made, change) => change(made), read)}, true)`)
  if (node.length) {
    const [least, most] = [Number(node.length[0]), Number(node.length[1])]
    // A code point is one or two UTF-16 units, so most lengths are known without counting.
    if (least === 1 && !tests.includes(`${text} !== ""`)) tests.push(`${text} !== ""`)
    if (least > 1) tests.push(`(${text}.length >= ${2 * least} || codePoints(${text}) >= ${least})`)
    if (most < Number.POSITIVE_INFINITY) tests.push(`(${text}.length <= ${most} || codePoints(${text}) <= ${most})`)
  }
  if (node.pattern) tests.push(`matches(${writer.bind(node.pattern)}, ${text})`)
  if (node.format) tests.push(`${writer.make(formatCheck, node.format)}(${text}) === undefined`)
  const test = tests.join(' && ')
  return changes.length > 0 ? { prepare: `let ${text}`, test, value: text } : { test }
})

/** Texts of a length, a pattern and a format. */
import { PatternReader } from '../grammar/automaton.js'
import type { Ranges } from '../grammar/characters.js'
import { type Format, formats } from '../grammar/formats.js'
import { matches } from '../kinds/patterns.js'
import { type TextNode, tidied } from '../kinds/text.js'
import type { Bounds } from '../terms/declared.js'
import { between, least, oneOf, type Pick, Unmakeable } from './pick.js'

/** Texts of each format, the shorter first; one that is none; and one of a length, if the format has such. */
interface FormatTexts {
  readonly right: readonly string[]
  readonly wrong: string
  readonly sized?: (length: number) => string
}
const padded = (before: string, after: string) => (length: number) =>
  `${before}${'a'.repeat(Math.max(1, length - before.length - after.length))}${after}`
/** Labels of a host name, which are at most 63 long. */
const labels = (length: number): string =>
  length <= 63
    ? 'a'.repeat(length)
    : `${'a'.repeat(length === 64 ? 61 : 62)}.${labels(length - (length === 64 ? 62 : 63))}`

const formatTexts: { readonly [F in Format]: FormatTexts } = {
  email: {
    right: ['a@b.example', 'observer@site.example'],
    wrong: 'no address',
    sized: (length) => `a@${labels(Math.max(1, length - 2))}`,
  },
  'idn-email': {
    right: ['a@b.example'],
    wrong: 'no address',
    sized: (length) => `a@${labels(Math.max(1, length - 2))}`,
  },
  uuid: { right: ['00000000-0000-4000-8000-000000000000', 'f81d4fae-7dec-41d0-a765-00a0c91e6bf6'], wrong: 'f81d4fae' },
  uri: { right: ['a:b', 'https://site.example/a'], wrong: 'no scheme', sized: padded('a:', '') },
  'uri-reference': { right: ['a', '/a/b?c#d'], wrong: '%zz', sized: padded('', '') },
  iri: { right: ['a:b', 'https://site.example/ä'], wrong: 'no scheme', sized: padded('a:', '') },
  'iri-reference': { right: ['a', '/ä'], wrong: '%zz', sized: padded('', '') },
  hostname: { right: ['a', 'site.example'], wrong: '-a-', sized: labels },
  'idn-hostname': { right: ['a', 'site.example'], wrong: '-a-', sized: labels },
  ipv4: { right: ['1.1.1.1', '192.168.100.200'], wrong: '256.1.1.1' },
  ipv6: { right: ['::', '2001:db8:0:1:2:3:4:5'], wrong: '1:2' },
  date: { right: ['2031-03-01', '2031-12-31'], wrong: 'tomorrow' },
  time: { right: ['00:00:00Z', '23:59:59.999+00:00'], wrong: 'noon' },
  'date-time': { right: ['2031-03-01T00:00:00Z', '2031-12-31T23:59:59.999+00:00'], wrong: 'tomorrow' },
  duration: { right: ['P1D', 'P1Y2M3DT4H5M6S'], wrong: 'an hour' },
  'json-pointer': { right: ['/a', '/a/0/b'], wrong: 'a/b', sized: padded('/', '') },
  'relative-json-pointer': { right: ['0', '1/a'], wrong: '/a', sized: padded('0/', '') },
  'uri-template': { right: ['a', '/a/{b}'], wrong: '{', sized: padded('', '') },
  regex: { right: ['a', '^a+$'], wrong: '(', sized: padded('', '') },
  phone: {
    right: ['+12', '+431234567890123'],
    wrong: '12',
    sized: (length) => `+${'1'.repeat(Math.max(2, length - 1))}`,
  },
  'card-number': { right: ['4111111111111111'], wrong: '4111111111111112' },
  iban: { right: ['GB82WEST12345698765432'], wrong: 'GB00WEST12345698765432' },
  isbn: { right: ['9780306406157', '978-0-306-40615-7'], wrong: '9780306406158' },
  gtin: { right: ['96385074', '4006381333931'], wrong: '4006381333932' },
  language: { right: ['en', 'de-AT'], wrong: 'a_b' },
  country: { right: ['AT', 'CL'], wrong: '??' },
  currency: { right: ['EUR', 'CLP'], wrong: '???' },
  'time-zone': { right: ['UTC', 'America/Santiago'], wrong: 'No/Where' },
  base64: { right: ['YQ==', 'YWJj'], wrong: 'a', sized: (length) => 'a'.repeat(length) },
  base64url: { right: ['YQ', 'YWJj'], wrong: 'a+b', sized: (length) => 'a'.repeat(length) },
  cidr: { right: ['10.0.0.0/8', '2001:db8::/32'], wrong: '10.0.0.0/33' },
  'http-date': { right: ['Sat, 01 Mar 2031 22:30:00 GMT', 'Sun, 02 Mar 2031 00:00:00 GMT'], wrong: 'today' },
  'entity-tags': { right: ['"a1"', '*', 'W/"b2", "c3"'], wrong: 'a1' },
  'byte-ranges': { right: ['bytes=0-499', 'bytes=-500', 'bytes=9500-'], wrong: 'bytes=5-1' },
  semver: { right: ['1.0.0', '1.2.3-beta.4+build.5'], wrong: '1.0' },
}

/** So many characters are made at most. */
const longest = 100_000
/** How long a text is made of which nothing is said. */
const usual: Bounds = [1, 12]

const isOf = (node: TextNode, text: string): boolean => {
  const read = tidied(node, text)
  const length = [...read].length
  return (
    length >= (node.length?.[0] ?? 0) &&
    length <= (node.length?.[1] ?? length) &&
    (!node.pattern || matches(node.pattern, read)) &&
    (!node.format || formats[node.format].check(read) === undefined)
  )
}

/**
 * A text that a node takes.
 *
 * @param least The shortest that counts as sent.
 * @throws Unmakeable if none is found.
 */
export function textOf(node: TextNode, pick: Pick, shortest: number): string {
  const [low, high] = node.length ?? [0, Number.POSITIVE_INFINITY]
  const found = textWithin(node, pick, [Math.max(low, shortest), high])
  if (found !== undefined && isOf(node, found)) return found
  throw new Unmakeable(`no text is found for its ${node.pattern ? 'pattern' : node.format ? 'format' : 'length'}`)
}

/** A text of a pattern or a format, between two lengths; the length is that of what is sent. */
function textWithin(node: TextNode, pick: Pick, [low, high]: Bounds): string | undefined {
  if (low > longest || low > high) return undefined
  const { pattern, format } = node
  if (format) {
    const { right, sized } = formatTexts[format]
    const fits = (text: string) =>
      text.length >= low && text.length <= high && formats[format].check(text) === undefined
    const at = (length: number) => (sized && Number.isFinite(length) && length > 0 ? [sized(length)] : [])
    const texts = [...at(low), ...right, ...at(Math.min(high, longest))].filter(fits)
    return texts.length === 0 ? undefined : oneOf(pick, texts)
  }
  if (pattern) return ofPattern(node, pattern, pick, [low, high])
  const [usualLow, usualHigh] = usual
  const shortest = node.length ? low : Math.max(low, usualLow)
  const most = Math.min(high === Number.POSITIVE_INFINITY ? shortest + usualHigh : high, longest)
  return letters(between(pick, shortest, most), pick)
}

/** Letters and inner blanks. */
function letters(length: number, pick: Pick): string {
  const alphabet = 'abcdefghijklmnopqrstuvwxyz'
  return Array.from({ length }, () => alphabet[between(pick, 0, 25)]).join('')
}

function ofPattern(node: TextNode, pattern: RegExp, pick: Pick, bounds: Bounds): string | undefined {
  let walks: Walks
  try {
    walks = walksOf(pattern)
  } catch {
    return undefined
  }
  // What the automaton does not know of, such as what is looked ahead at, is tried.
  let state = pick
  for (let tries = 0; tries < 20; tries++) {
    const text = walkOf(walks, state, bounds)
    if (text === undefined) return undefined
    if (matches(pattern, tidied(node, text))) return text
    const turn = tries + 1
    state = () => (pick() * 0.5 + turn * 0.381966) % 1
  }
  return undefined
}

interface Walks {
  /** The characters of each atom that are written: letters and digits first, if there are some. */
  readonly written: readonly (readonly Ranges[])[]
  readonly before: readonly (readonly number[])[]
  readonly reader: PatternReader
  /** By the lengths that a text may have. */
  readonly layers: Map<string, Layers>
}
/** The atoms that texts of each length can lead to, and the lengths that a text can have. */
interface Layers {
  readonly layers: readonly ReadonlySet<number>[]
  readonly lengths: readonly number[]
}

const known = new WeakMap<RegExp, Walks>()
function walksOf(pattern: RegExp): Walks {
  const found = known.get(pattern)
  if (found) return found
  const reader = new PatternReader(pattern)
  const before = reader.follow.map((): number[] => [])
  for (const [atom, next] of reader.follow.entries()) for (const to of next.keys()) before[to]?.push(atom)
  const made = { reader, before, written: reader.characters.map(writtenOf), layers: new Map<string, Layers>() }
  known.set(pattern, made)
  return made
}

/** A walk through the automaton of a pattern is a text that it may match. */
function walkOf(walks: Walks, pick: Pick, bounds: Bounds): string | undefined {
  const { layers, lengths } = walks.layers.get(bounds.join()) ?? laidOut(walks.reader, bounds)
  walks.layers.set(bounds.join(), { layers, lengths })
  if (lengths.length === 0) return undefined
  const length = oneOf(pick, lengths)
  let atoms = [...(layers[length] as ReadonlySet<number>)].filter((atom) => walks.reader.last.has(atom))
  const text: string[] = []
  for (let at = length; at > 0; at--) {
    const atom = oneOf(pick, atoms)
    const [low, high] = oneOf(pick, someOf(walks.written[atom] as readonly Ranges[], pick))
    text.push(String.fromCodePoint(between(pick, low, high)))
    const earlier = layers[at - 1] as ReadonlySet<number>
    atoms = (walks.before[atom] as readonly number[]).filter((one) => earlier.has(one))
  }
  return text.reverse().join('')
}

function laidOut({ follow, last, mayBeEmpty }: PatternReader, [low, high]: Bounds): Layers {
  const layers: ReadonlySet<number>[] = [new Set([0])]
  const lengths: number[] = mayBeEmpty && low === 0 ? [0] : []
  let work = 0
  for (let length = 1; length <= high; length++) {
    const layer = new Set<number>()
    for (const atom of layers[length - 1] as ReadonlySet<number>)
      for (const [next] of follow[atom] as ReadonlyMap<number, number>) layer.add(next)
    layers.push(layer)
    work += layer.size
    if (layer.size === 0 || work > 200_000) break
    if (length >= low && [...layer].some((atom) => last.has(atom))) lengths.push(length)
    // Of a text that may be of any length a few are enough.
    if (high === Number.POSITIVE_INFINITY && lengths.length > 0 && length > (lengths[0] as number) + 12) break
  }
  return { layers, lengths }
}

/** Letters or digits if there are some, else what can be read: by how plain they are. */
function writtenOf(ranges: Ranges): readonly Ranges[] {
  const within = (from: number, to: number) =>
    ranges.flatMap(([low, high]) =>
      high < from || low > to ? [] : [[Math.max(low, from), Math.min(high, to)] as const],
    )
  const known = [within(97, 122), within(65, 90), within(48, 57), within(33, 126), within(32, 32), within(161, 0xd7ff)]
  const some = known.filter((one) => one.length > 0)
  return some.length > 0 ? some : [ranges.slice(0, 1)]
}

/** The plain ones for the least and the greatest, and now and then others. */
function someOf(written: readonly Ranges[], pick: Pick): Ranges {
  const share = pick()
  return share < 0.7 || share === 1 ? (written[0] as Ranges) : oneOf(pick, written)
}

const shortEnough = 12

/** A text that is all right but for the pattern. */
export function mismatchOf(node: TextNode, pattern: RegExp, given: string): string {
  const [low, longest] = node.length ?? [1, Number.POSITIVE_INFINITY]
  // It is not known how long a trusted pattern takes on what it does not match.
  const high = node.trusted ? Math.min(longest, shortEnough) : longest
  const right = node.trusted ? given.slice(0, shortEnough) : given
  const candidates = function* () {
    for (const one of ['!', '#', '0', 'a', 'A', '-', '_', '~', 'é', '漢', '\0']) {
      yield one.repeat(Math.max(1, Math.min(low, high, 1000)))
      yield `${right}${one}`
      for (const at of new Set([right.length - 1, 0, right.length >> 1]))
        if (right.length > 0) yield right.slice(0, at) + one + right.slice(at + 1)
    }
    for (const one of [right.slice(1), right.slice(0, -1), right + right]) yield one
  }
  const isOther = (text: string) => {
    const read = tidied(node, text)
    const length = [...read].length
    return (
      length >= low &&
      length <= high &&
      text.trim() === text &&
      text !== '' &&
      !matches(pattern, read) &&
      (!node.format || formats[node.format].check(read) === undefined)
    )
  }
  for (const text of candidates()) if (isOther(text)) return text
  throw new Unmakeable('every text that was tried matches its pattern')
}

/** A text that is too short, or too long: of the pattern if there is such a one. */
export function textOfLength(node: TextNode, length: number): string {
  if (length > longest) throw new Unmakeable(`more than ${longest} characters are not made`)
  const found = textWithin(node, least, [length, length])
  return found !== undefined && [...tidied(node, found)].length === length ? found : 'a'.repeat(length)
}

/** A text that is all right but for the format. */
export const unformedOf = (node: TextNode & { readonly format: Format }): string => {
  const { wrong, right } = formatTexts[node.format]
  const [low, high] = node.length ?? [1, Number.POSITIVE_INFINITY]
  const fits = [wrong, `${right[0]} ?`, '?'.repeat(Math.max(1, Math.min(low, longest)))].find((text) => {
    const read = tidied(node, text)
    return read.length >= low && read.length <= high && formats[node.format].check(read) !== undefined
  })
  return fits ?? wrong
}

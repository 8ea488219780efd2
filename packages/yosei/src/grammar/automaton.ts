/**
 * A pattern as the automaton of its atoms (Glushkov's): which characters each takes, and which can follow it in how many
 * ways. A search that may begin anywhere has a loop over all characters before it.
 */
import { charactersOf, grouped, type Ranges } from './characters.js'

/** Why nothing can be said of a pattern. */
export class Undecided extends Error {}
export const tooLarge = () => new Undecided('it is too large to be looked through')
/** A pattern may have so many atoms. */
const mostAtoms = 5000

interface Piece {
  /** In how many ways it matches the empty text. */
  readonly empty: number
  /** The atoms that it can begin and end with, and in how many ways. */
  readonly first: Ways
  readonly last: Ways
  /** Whether what it takes at its start is the start of the text. */
  readonly anchored: boolean
  /** Whether it ends in something that may fail, though it takes nothing. */
  readonly demands: boolean
}
export type Ways = ReadonlyMap<number, number>

const none: Ways = new Map()
const nothing: Piece = { empty: 1, first: none, last: none, anchored: false, demands: false }
/** More ways than these are as many as these. */
const most = (ways: number) => Math.min(ways, 1e6)

/** The atoms of a pattern: which characters each takes, and which can follow it in how many ways. Atom 0 is the start. */
export interface Automaton {
  readonly takes: readonly ReadonlySet<number>[]
  readonly follow: readonly Ways[]
  /** Those behind which nothing more is needed. */
  readonly ends: ReadonlySet<number>
}

/** Reads `a|b`, then sequences, then a unit with its repeat. The RegExp exists, so its syntax is right. */
export class PatternReader implements Automaton {
  readonly takes: readonly ReadonlySet<number>[]
  readonly follow: Map<number, number>[] = []
  readonly ends: ReadonlySet<number>
  /** Those that a match can end with, though more may be asked of what follows. */
  readonly last: ReadonlySet<number>
  /** Whether it may match the empty text. */
  readonly mayBeEmpty: boolean
  /** The characters that each atom takes. */
  readonly characters: Ranges[] = []
  readonly #source: string
  readonly #flags: string
  /** How many repeats, and how many look-arounds, it stands in. */
  #repeats = 0
  #at = 0

  constructor({ source, flags }: RegExp) {
    this.#source = source
    this.#flags = flags
    const start = this.#atom('[^\\s\\S]')
    const whole = this.#readAlternatives()
    this.#connect(start.last, whole.first)
    if (!whole.anchored) {
      // A search begins at each character: before it, any may be passed over.
      const before = this.#atom('[\\s\\S]')
      this.#connect(start.last, before.first)
      this.#connect(before.last, before.first)
      this.#connect(before.last, whole.first)
    }
    this.last = new Set(whole.last.keys())
    this.mayBeEmpty = whole.empty > 0
    this.ends = new Set(whole.demands ? [] : whole.last.keys())
    this.takes = grouped(this.characters)
  }

  #readAlternatives(): Piece {
    let piece = this.#readSequence()
    while (this.#source[this.#at] === '|') {
      this.#at++
      const other = this.#readSequence()
      piece = {
        empty: most(piece.empty + other.empty),
        first: sum(piece.first, other.first),
        last: sum(piece.last, other.last),
        anchored: piece.anchored && other.anchored,
        demands: piece.demands || other.demands,
      }
    }
    return piece
  }

  #readSequence(): Piece {
    let piece = nothing
    while (this.#at < this.#source.length && this.#source[this.#at] !== '|' && this.#source[this.#at] !== ')')
      piece = this.#join(piece, this.#readRepeated())
    return piece
  }

  #join(left: Piece, right: Piece): Piece {
    this.#connect(left.last, right.first)
    return {
      empty: most(left.empty * right.empty),
      first: left.empty ? sum(left.first, scale(right.first, left.empty)) : left.first,
      last: right.empty ? sum(right.last, scale(left.last, right.empty)) : right.last,
      anchored: left.anchored || (left.first.size === 0 && right.anchored),
      demands: right.demands || (right.empty > 0 && left.demands),
    }
  }

  #connect(from: Ways, to: Ways): void {
    for (const [one, ways] of from) {
      const next = this.follow[one] as Map<number, number>
      for (const [other, more] of to) next.set(other, most((next.get(other) ?? 0) + ways * more))
    }
  }

  #readRepeated(): Piece {
    const start = this.#at
    const unitEnd = this.#unitEnd()
    const found = /^(?:([*+?])|\{(\d+)(,(\d*))?\})\??/.exec(this.#source.slice(unitEnd, unitEnd + 40))
    if (!found) return this.#readUnit()
    const after = unitEnd + found[0].length
    const [, sign, low, comma, high] = found
    const least = sign ? Number(sign === '+') : Number(low)
    const greatest =
      sign === '?' ? 1 : sign || high === '' ? Number.POSITIVE_INFINITY : comma === undefined ? least : Number(high)
    const read = () => {
      this.#at = start
      const piece = this.#readUnit()
      this.#at = after
      return piece
    }
    this.#at = after
    if (greatest === 0) return nothing
    if (greatest > 1) this.#repeats++
    const piece = this.#repeated(least, greatest, read)
    if (greatest > 1) this.#repeats--
    return piece
  }

  /** `xxx*` for three or more; `xx(?:x(?:x)?)?` for two to four: who goes on, goes on from the last. */
  #repeated(least: number, greatest: number, read: () => Piece): Piece {
    const endless = greatest === Number.POSITIVE_INFINITY
    const count = endless ? Math.max(least, 1) : greatest
    let [first, before] = [none, none]
    const last = new Map<number, number>()
    let empty = 1
    let one = nothing
    for (let i = 0; i < count; i++) {
      one = read()
      this.#connect(before, one.first)
      if (endless && i === count - 1) this.#connect(one.last, one.first)
      const isNeeded = i < least
      if (i <= least && empty > 0) first = sum(first, scale(one.first, empty))
      // A repeat that is needed may be empty; one that is not needed is not taken where it would be.
      before = isNeeded && one.empty > 0 ? sum(one.last, scale(before, one.empty)) : one.last
      if (isNeeded) empty = most(empty * one.empty)
      // Repeats share no atom, so nothing is there twice.
      if (i + 1 >= Math.max(least, 1)) for (const [atom, ways] of i < least ? before : one.last) last.set(atom, ways)
    }
    return { empty, first, last, anchored: least > 0 && one.anchored, demands: one.demands }
  }

  /** Where the unit at the place ends. */
  #unitEnd(): number {
    const source = this.#source
    const at = this.#at
    if (source[at] === '\\') return at + this.#escape(at).length
    if (source[at] === '[') return at + this.#classEnd(at)
    if (source[at] !== '(') {
      const isPair = /[uv]/.test(this.#flags) && (source.codePointAt(at) as number) > 0xffff
      return at + (isPair ? 2 : 1)
    }
    let open = 0
    for (let i = at; i < source.length; i++) {
      if (source[i] === '\\') i++
      else if (source[i] === '[') i += this.#classEnd(i) - 1
      else if (source[i] === '(') open++
      else if (source[i] === ')' && --open === 0) return i + 1
    }
    return source.length
  }

  /** An escape sequence as it stands. */
  #escape(at: number): string {
    const rest = this.#source.slice(at, at + 80)
    const unicode = /[uv]/.test(this.#flags)
    const found = unicode
      ? /^\\(?:u\{[^}]*\}|u[0-9a-f]{4}\\u[d][c-f][0-9a-f]{2}|u[0-9a-f]{4}|x[0-9a-f]{2}|c[a-z]|[pP]\{[^}]*\}|k<[^>]*>|\d+|.)/isu.exec(
          rest,
        )
      : /^\\(?:u[0-9a-f]{4}|x[0-9a-f]{2}|c[a-z]|k<[^>]*>|\d+|.)/is.exec(rest)
    return found?.[0] ?? '\\'
  }

  #readUnit(): Piece {
    const source = this.#source
    const rest = source.slice(this.#at, this.#at + 200)
    if (rest[0] === '(') {
      const opening = /^\((?:\?(?:[:=!]|<[=!]|<[^>]*>|[a-z-]*:))?/.exec(rest)?.[0] as string
      this.#at += opening.length
      if (/^\(\?[a-z-]+:/.test(opening)) throw new Undecided('it changes its flags inside')
      const looks = /[=!]$/.test(opening)
      if (looks && this.#repeats > 0) throw new Undecided('it looks around inside a repeat')
      const size = this.characters.length
      const inside = this.#readAlternatives()
      this.#at++
      if (!looks) return inside
      if (!opening.includes('<')) return { ...nothing, first: inside.first, demands: true }
      // What it looks back at has an end, and is looked at once for each place.
      if (this.follow.slice(size).some((next, index) => next.has(size + index) || next.size > 20))
        throw new Undecided('it looks back without end')
      return { ...nothing, demands: true }
    }
    const text =
      rest[0] === '['
        ? source.slice(this.#at, this.#at + this.#classEnd(this.#at))
        : rest[0] === '\\'
          ? this.#escape(this.#at)
          : source.slice(this.#at, this.#unitEnd())
    this.#at += text.length
    if (text === '^') return { ...nothing, anchored: !this.#flags.includes('m'), demands: true }
    if (/^(?:\$|\\[bB])$/.test(text)) return { ...nothing, demands: true }
    if (/^\\(?:k<|[1-9])/.test(text)) throw new Undecided('it refers back to what it has matched')
    if (this.#flags.includes('v') && (/\\q\{/.test(text) || /\\p\{(?:RGI_|Basic_Emoji|Emoji_Keycap)/.test(text)))
      throw new Undecided('it has sets of strings')
    return this.#atom(text)
  }

  #atom(text: string): Piece {
    if (this.characters.length === mostAtoms) throw tooLarge()
    this.characters.push(charactersOf(text, this.#flags))
    this.follow.push(new Map())
    const ways = new Map([[this.characters.length - 1, 1]])
    return { empty: 0, first: ways, last: ways, anchored: false, demands: false }
  }

  /** The length of a character class; with the flag `v` it may hold others. */
  #classEnd(start: number): number {
    const source = this.#source
    let open = 0
    for (let at = start; at < source.length; at++) {
      if (source[at] === '\\') at++
      else if (source[at] === '[' && (at === start || this.#flags.includes('v'))) open++
      else if (source[at] === ']' && --open === 0) return at + 1 - start
    }
    return source.length - start
  }
}

function sum(a: Ways, b: Ways): Ways {
  const both = new Map(a)
  for (const [atom, ways] of b) both.set(atom, most((both.get(atom) ?? 0) + ways))
  return both
}
const scale = (ways: Ways, times: number): Ways =>
  times === 1 ? ways : new Map([...ways].map(([atom, one]) => [atom, most(one * times)]))

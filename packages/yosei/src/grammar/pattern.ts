/**
 * How long a pattern can take on a text made for it. A backtracking matcher walks a tree of ways to read a text: asked is
 * how many ways there can be at each character. The pattern is taken as an automaton of its atoms (Glushkov's), as it
 * runs: a search that may begin anywhere has a loop over all characters before it. Where one text leads around a loop in
 * two ways, the tree grows exponentially. Else the ways are counted, over the sets of atoms that a text can lead to: to a
 * bound for texts of any length, or of a declared one. All bounds are upper ones.
 */
import { charactersOf, grouped, type Ranges } from './characters.js'

export type Cost =
  /** No character takes more than so many steps, however long the text is. */
  | { readonly kind: 'linear' }
  | { readonly kind: 'exponential' }
  /** The longer the text, the more. */
  | { readonly kind: 'superlinear'; readonly automaton: Automaton }
  | { readonly kind: 'undecided'; readonly why: string }

/** The most steps that a character may take. */
export const mostSteps = 100
/** An automaton, and what is worked out of it, may be so large; else nothing is said of the pattern. */
const mostAtoms = 5000
const mostSets = 5000
const mostWork = 2_000_000

class Undecided extends Error {}
const tooLarge = () => new Undecided('it is too large to be looked through')

export function costOf(pattern: RegExp): Cost {
  try {
    const automaton = new PatternReader(pattern)
    if (hasTwoWaysAround(automaton)) return { kind: 'exponential' }
    return isBounded(automaton) ? { kind: 'linear' } : { kind: 'superlinear', automaton }
  } catch (error) {
    if (error instanceof Undecided) return { kind: 'undecided', why: error.message }
    throw error
  }
}

/** Whether a text of so many characters takes no more steps a character than may be. */
export function isSoonDone(automaton: Automaton, length: number): boolean {
  const sets = setsOf(automaton)
  let counts = new Map<AtomSet, readonly number[]>([[sets[0] as AtomSet, [1]]])
  let steps = 0
  let work = 0
  for (let at = 0; at < length && counts.size > 0; at++) {
    const next = new Map<AtomSet, readonly number[]>()
    let most = 0
    for (const [set, ways] of counts)
      for (const { to, into } of set.edges) {
        work += into.length
        const reached = waysInto(to, into, ways)
        next.set(to, greater(next.get(to) ?? reached, reached))
        most = Math.max(most, total(reached))
      }
    steps += most
    if (steps > mostSteps * length || work > mostWork) return false
    counts = next
  }
  return true
}

/** Whether there is a number of ways that no character of any text has more of. */
function isBounded(automaton: Automaton): boolean {
  const sets = setsOf(automaton)
  const counts = new Map<AtomSet, readonly number[]>(
    sets.map((set, index) => [set, set.atoms.map(() => Number(index === 0))]),
  )
  let work = 0
  const due = new Set(sets.slice(0, 1))
  for (const set of due) {
    due.delete(set)
    for (const { to, into } of set.edges) {
      const known = counts.get(to) as readonly number[]
      const reached = greater(known, waysInto(to, into, counts.get(set) as readonly number[]))
      work += into.length
      if (total(reached) > mostSteps || work > mostWork) return false
      if (reached.every((count, index) => count === known[index])) continue
      counts.set(to, reached)
      due.add(to)
    }
  }
  return true
}

const total = (counts: readonly number[]) => counts.reduce((sum, count) => sum + count, 0)
const greater = (a: readonly number[], b: readonly number[]) =>
  a.map((count, index) => Math.max(count, b[index] as number))

/** The atoms that some text leads to, and where each character leads from there. */
interface AtomSet {
  readonly atoms: readonly number[]
  readonly ends: readonly boolean[]
  readonly edges: { readonly to: AtomSet; readonly into: readonly Step[] }[]
}
/** From one of a set to one of the next, by their places in them, in so many ways. */
type Step = readonly [from: number, to: number, ways: number]

/** Where nothing more is needed, the search has matched, and never comes back: nobody is there twice. */
function waysInto({ ends }: AtomSet, into: readonly Step[], ways: readonly number[]): number[] {
  const reached = ends.map(() => 0)
  for (const [from, to, more] of into) reached[to] = (reached[to] as number) + (ways[from] as number) * more
  return reached.map((count, index) => (ends[index] ? Math.min(count, 1) : count))
}

const laid = new WeakMap<Automaton, AtomSet[]>()

/** The sets that texts can lead to; the first is where they start. */
function setsOf(automaton: Automaton): AtomSet[] {
  const known = laid.get(automaton)
  if (known) return known
  const { takes, follow, ends } = automaton
  const sets: AtomSet[] = []
  const byName = new Map<string, AtomSet>()
  const setOf = (atoms: readonly number[]): AtomSet => {
    const name = atoms.join()
    const known = byName.get(name)
    if (known) return known
    if (sets.length === mostSets) throw tooLarge()
    const made = { atoms, ends: atoms.map((atom) => ends.has(atom)), edges: [] }
    byName.set(name, made)
    sets.push(made)
    return made
  }
  let work = 0
  setOf([0])
  for (let at = 0; at < sets.length; at++) {
    const { atoms, edges } = sets[at] as AtomSet
    const reached = new Map<number, [from: number, ways: number][]>()
    const byCharacter = new Map<number, number[]>()
    for (const [from, atom] of atoms.entries())
      for (const [next, ways] of follow[atom] as Ways) {
        const known = reached.get(next)
        if (known) known.push([from, ways])
        else {
          reached.set(next, [[from, ways]])
          for (const character of takes[next] as ReadonlySet<number>) {
            if (++work > mostWork) throw tooLarge()
            const there = byCharacter.get(character)
            if (there) there.push(next)
            else byCharacter.set(character, [next])
          }
        }
      }
    const led = new Set<AtomSet>()
    for (const next of byCharacter.values()) {
      const to = setOf(next.sort((a, b) => a - b))
      if (led.has(to)) continue
      led.add(to)
      edges.push({
        to,
        into: to.atoms.flatMap((atom, index) =>
          (reached.get(atom) as [number, number][]).map(([from, ways]): Step => [from, index, ways]),
        ),
      })
    }
  }
  laid.set(automaton, sets)
  return sets
}

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
type Ways = ReadonlyMap<number, number>

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
class PatternReader implements Automaton {
  readonly takes: readonly ReadonlySet<number>[]
  readonly follow: Map<number, number>[] = []
  readonly ends: ReadonlySet<number>
  readonly #characters: Ranges[] = []
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
    this.ends = new Set(whole.demands ? [] : whole.last.keys())
    this.takes = grouped(this.#characters)
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
      const size = this.#characters.length
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
    if (this.#characters.length === mostAtoms) throw tooLarge()
    this.#characters.push(charactersOf(text, this.#flags))
    this.follow.push(new Map())
    const ways = new Map([[this.#characters.length - 1, 1]])
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

/** Whether one text leads around a loop in two ways. */
function hasTwoWaysAround({ takes, follow }: Automaton): boolean {
  const loop = components(takes.length, (atom) => (follow[atom] as Ways).keys())
  const inLoop = takes.map((_, from) => [...(follow[from] as Ways)].filter(([to]) => loop[to] === loop[from]))
  let work = 0
  // Two ways from one atom to the next, inside a loop.
  if (inLoop.some((next) => next.some(([, ways]) => ways > 1))) return true
  // Two walkers that take the same text leave one atom, part, and meet at it again.
  const size = takes.length
  const overlap = (a: number, b: number) => {
    const [small, large] = [takes[a] as ReadonlySet<number>, takes[b] as ReadonlySet<number>]
    for (const one of small) if (large.has(one)) return true
    return false
  }
  const pairs: number[] = []
  const numbers = new Map<number, number>()
  const edges: number[][] = []
  const numberOf = (a: number, b: number) => {
    const pair = a * size + b
    let number = numbers.get(pair)
    if (number === undefined) {
      number = pairs.push(pair) - 1
      numbers.set(pair, number)
    }
    return number
  }
  for (const atom of takes.keys()) if ((inLoop[atom] as unknown[]).length > 0) numberOf(atom, atom)
  for (let i = 0; i < pairs.length; i++) {
    const [a, b] = [Math.floor((pairs[i] as number) / size), (pairs[i] as number) % size]
    const targets: number[] = []
    for (const [x] of inLoop[a] as [number, number][]) {
      for (const [y] of inLoop[b] as [number, number][]) {
        if (++work > mostWork) throw tooLarge()
        if (overlap(x, y)) targets.push(numberOf(x, y))
      }
    }
    edges[i] = targets
  }
  const component = components(pairs.length, (pair) => edges[pair] as number[])
  const together = new Set<number>()
  for (const [index, pair] of pairs.entries()) if (pair % (size + 1) === 0) together.add(component[index] as number)
  return pairs.some((pair, index) => pair % (size + 1) !== 0 && together.has(component[index] as number))
}

function sum(a: Ways, b: Ways): Ways {
  const both = new Map(a)
  for (const [atom, ways] of b) both.set(atom, most((both.get(atom) ?? 0) + ways))
  return both
}
const scale = (ways: Ways, times: number): Ways =>
  times === 1 ? ways : new Map([...ways].map(([atom, one]) => [atom, most(one * times)]))

/** For each node of a graph the number of its strongly connected component (Tarjan's, with a stack of its own). */
function components(size: number, next: (node: number) => Iterable<number>): number[] {
  const order = new Array<number>(size).fill(-1)
  const low = new Array<number>(size).fill(0)
  const component = new Array<number>(size).fill(-1)
  const open: number[] = []
  let count = 0
  let found = 0
  for (let root = 0; root < size; root++) {
    if (order[root] !== -1) continue
    const walk: { node: number; rest: Iterator<number> }[] = []
    const enter = (node: number) => {
      order[node] = low[node] = count++
      open.push(node)
      walk.push({ node, rest: next(node)[Symbol.iterator]() })
    }
    enter(root)
    while (walk.length > 0) {
      const { node, rest } = walk.at(-1) as (typeof walk)[number]
      const { value, done } = rest.next()
      if (!done) {
        if (order[value] === -1) enter(value)
        else if (component[value] === -1) low[node] = Math.min(low[node] as number, order[value] as number)
        continue
      }
      walk.pop()
      const above = walk.at(-1)?.node
      if (above !== undefined) low[above] = Math.min(low[above] as number, low[node] as number)
      if (low[node] !== order[node]) continue
      for (let member = -1; member !== node; ) {
        member = open.pop() as number
        component[member] = found
      }
      found++
    }
  }
  return component
}

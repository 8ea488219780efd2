/**
 * Whether a pattern can take exponential time: whether, on some text, a backtracking matcher has ever more ways to come
 * from a place in the pattern back to it. The pattern is taken as an automaton of its atoms (Glushkov's), in which each
 * way between two atoms is counted; it is dangerous where one text leads around a loop in two ways.
 */

interface Piece {
  /** Whether it matches the empty text, and in one way (1) or more (2). */
  readonly empty: number
  /** The atoms that it can begin and end with, and in how many ways. */
  readonly first: Ways
  readonly last: Ways
}
type Ways = ReadonlyMap<number, number>

const nothing: Piece = { empty: 1, first: new Map(), last: new Map() }
const most = (ways: number) => Math.min(ways, 2)

/** A repeat with more to choose from than this counts as one without end. */
const manyRepeats = 10
/** A pattern of more atoms than this is not analysed: it counts as dangerous. */
const mostAtoms = 400
const mostWork = 5_000_000

const tooLarge = new Error('too large to analyse')

/** Patterns too large to analyse count as dangerous. */
export function isExponential(pattern: RegExp): boolean {
  try {
    return hasTwoWaysAround(new PatternReader(pattern))
  } catch (error) {
    if (error === tooLarge) return true
    throw error
  }
}

/** One of each sort of character, and those that a pattern names. */
const sorts = [
  ...Array.from({ length: 256 }, (_, code) => String.fromCharCode(code)),
  ...'ſKαΩдЖ中あ٣à‿€😀\u2028\ufeff',
]

/** The atoms of a pattern: which characters each takes, and which can follow it in how many ways. */
interface Automaton {
  readonly takes: readonly ReadonlySet<number>[]
  readonly follow: readonly Ways[]
}

/** Reads `a|b`, then sequences, then a unit with its repeat. The RegExp exists, so its syntax is right. */
class PatternReader implements Automaton {
  readonly takes: Set<number>[] = []
  readonly follow: Map<number, number>[] = []
  readonly #pattern: RegExp
  readonly #source: string
  readonly #alphabet: readonly string[]
  /** What each atom takes, by how it is written. */
  readonly #known = new Map<string, Set<number>>()
  #at = 0

  constructor(pattern: RegExp) {
    this.#pattern = pattern
    this.#source = pattern.source
    const named = [...this.#source.matchAll(/\\u\{?([0-9a-f]{1,6})\}?|\\x([0-9a-f]{2})/gi)].map(([, u, x]) =>
      String.fromCodePoint(Number.parseInt((u ?? x) as string, 16) % 0x110000),
    )
    this.#alphabet = [...new Set([...sorts, ...this.#source, ...named])]
    this.#readAlternatives()
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
    const unit = this.#readUnit()
    const end = this.#at
    const found = /^(?:([*+?])|\{(\d+)(,(\d*))?\})\??/.exec(this.#source.slice(end))
    if (!found) return unit
    this.#at = end + found[0].length
    const after = this.#at
    const [, sign, low, comma, high] = found
    const least = sign ? (sign === '+' ? 1 : 0) : Number(low)
    const greatest = sign
      ? sign === '?'
        ? 1
        : Number.POSITIVE_INFINITY
      : comma === undefined
        ? least
        : high === ''
          ? Number.POSITIVE_INFINITY
          : Number(high)
    /** The unit once more, as atoms of its own. */
    const again = () => {
      this.#at = start
      const piece = this.#readUnit()
      this.#at = after
      return piece
    }
    if (greatest === 0) return nothing
    // Many repeats behave as three do; a choice among many, as one without end.
    const needed = Math.min(least, 3)
    const endless = greatest - least >= manyRepeats
    const choices = endless ? 1 : Math.min(greatest - least, manyRepeats)
    let piece = nothing
    for (let i = 0; i < needed + choices; i++) {
      let one = i === 0 ? unit : again()
      // The last needed repeat may itself go on without end.
      if (endless && i === needed + choices - 1) this.#connect(one.last, one.first)
      if (i >= needed) one = { ...one, empty: 1 }
      piece = this.#join(piece, one)
    }
    return piece
  }

  #readUnit(): Piece {
    const rest = this.#source.slice(this.#at)
    if (rest[0] === '(') {
      const opening = /^\((?:\?(?:[:=!]|<[=!]|<[^>]*>|[a-z-]*:))?/.exec(rest)?.[0] as string
      this.#at += opening.length
      const inside = this.#readAlternatives()
      this.#at++
      // What looks around takes nothing.
      return /[=!]$/.test(opening) ? nothing : inside
    }
    const atom = (/^\\(?:u\{[^}]*\}|u[0-9a-f]{4}|x[0-9a-f]{2}|c[a-z]|[pP]\{[^}]*\}|k<[^>]*>|\d+|.)/isu.exec(rest) ??
      /^./su.exec(rest))?.[0] as string
    const text = atom === '[' ? rest.slice(0, this.#classEnd(rest)) : atom
    this.#at += text.length
    if (/^(?:\^|\$|\\[bB])$/.test(text)) return nothing
    if (this.takes.length >= mostAtoms) throw tooLarge
    // A reference back may take any character.
    this.takes.push(this.#taken(/^\\(?:k<|[1-9])/.test(text) ? '[\\s\\S]' : text))
    this.follow.push(new Map())
    const ways = new Map([[this.takes.length - 1, 1]])
    return { empty: 0, first: ways, last: ways }
  }

  /** The length of a character class; with the flag `v` it may hold others. */
  #classEnd(rest: string): number {
    let open = 0
    for (let i = 0; i < rest.length; i++) {
      if (rest[i] === '\\') i++
      else if (rest[i] === '[' && (i === 0 || this.#pattern.flags.includes('v'))) open++
      else if (rest[i] === ']' && --open === 0) return i + 1
    }
    return rest.length
  }

  #taken(atom: string): Set<number> {
    let set = this.#known.get(atom)
    if (!set) {
      const one = new RegExp(`^(?:${atom})$`, this.#pattern.flags.replace(/[gy]/g, ''))
      set = new Set([...this.#alphabet.keys()].filter((index) => one.test(this.#alphabet[index] as string)))
      this.#known.set(atom, set)
    }
    return set
  }
}

/** Whether one text leads around a loop in two ways. */
function hasTwoWaysAround({ takes, follow }: Automaton): boolean {
  const loop = components(takes.length, (atom) => (follow[atom] as Map<number, number>).keys())
  const inLoop = (from: number) => [...(follow[from] as Map<number, number>)].filter(([to]) => loop[to] === loop[from])
  let work = 0
  // Two ways from one atom to the next, inside a loop.
  for (const from of takes.keys()) if (inLoop(from).some(([, ways]) => ways > 1)) return true
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
  for (const atom of takes.keys()) if (inLoop(atom).length > 0) numberOf(atom, atom)
  for (let i = 0; i < pairs.length; i++) {
    const [a, b] = [Math.floor((pairs[i] as number) / size), (pairs[i] as number) % size]
    const targets: number[] = []
    for (const [x] of inLoop(a)) {
      for (const [y] of inLoop(b)) {
        if (++work > mostWork) throw tooLarge
        if (loop[a] === loop[b] && overlap(x, y)) targets.push(numberOf(x, y))
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
const scale = (ways: Ways, times: number): Ways => new Map([...ways].map(([atom, one]) => [atom, most(one * times)]))

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

/**
 * How long a pattern can take on a text made for it. A backtracking matcher walks a tree of ways to read a text: asked is
 * how many ways there can be at each character. The pattern is taken as an automaton of its atoms (Glushkov's), as it
 * runs: a search that may begin anywhere has a loop over all characters before it. Where one text leads around a loop in
 * two ways, the tree grows exponentially. Else the ways are counted, over the sets of atoms that a text can lead to: to a
 * bound for texts of any length, or of a declared one. All bounds are upper ones.
 */
import { type Automaton, PatternReader, tooLarge, Undecided, type Ways } from './automaton.js'

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
const mostSets = 5000
const mostWork = 2_000_000

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

/** If nothing more is needed, the search has matched and never comes back: no state is there twice. */
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

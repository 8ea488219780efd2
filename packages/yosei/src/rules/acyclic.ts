/** No element leads back to itself by what it refers to. Blames the reference that closes a cycle. */
import { cycleWords } from '../catalogue/english.js'
import { isSecret, nodesAt } from '../kinds/locate.js'
import { Phrase, quoted, type Speech } from '../kinds/phrase.js'
import { sameAs } from '../kinds/same.js'
import { firstEach, type InList, type InMany, type Path, parseAddress, valueAt } from '../terms/address.js'
import { anAddress } from '../terms/option-types.js'
import type { Like } from './compare.js'
import { keyCode } from './distinct.js'
import { aroundLast } from './elements.js'
import { beside, concrete, declaredAt, faultOf, isNone, pathOf, strays } from './input.js'
import { toldAt, unlike } from './measure.js'
import {
  type LooseBlame,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  type Wording,
  worded,
  wordOptions,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    acyclic: Acyclic
  }
}
export interface AcyclicMaker<T> {
  /**
   * No element leads back to itself. The first address is what names an element, the second what it refers to: one value,
   * or a list. Blames each reference that closes a cycle. A name that no element has leads nowhere: see `among`.
   *
   * @example
   * on.acyclic('body.tasks[].id', 'body.tasks[].after[]')
   */
  acyclic<const A extends InList<T>, const B extends InMany<T>>(
    names: A,
    refersTo: Like<T, A, B>,
    options?: Wording,
  ): Rule
}
export interface Acyclic extends Rule {
  readonly rule: 'acyclic'
}

/** What an element refers to. */
interface Reference {
  readonly to: string
  readonly place: Path
}

/** A message about a long cycle shows so many names of its start and of its end. */
const mostFirst = 4
const mostLast = 3

/** The names on the way round, from the first that comes again; some may be left out behind the first few. */
class Cycle extends Phrase {
  constructor(
    readonly values: readonly unknown[],
    readonly isShort: boolean,
  ) {
    super()
  }
  words({ show }: Speech): string {
    const shown = this.values.map((one) => show(quoted(one, true)))
    return (this.isShort ? shown.toSpliced(mostFirst, 0, '…') : shown).join(' → ')
  }
}

/** The rule `acyclic`, for `use`. */
export const acyclic: RuleOf<Acyclic> = {
  words: cycleWords,
  make(names: string, refersTo: string, { code = 'in_a_cycle', ...rest }: LooseBlame = {}) {
    return { rule: 'acyclic', code, reads: [names, refersTo], blames: [refersTo], ...worded(rest) }
  },
  each: ({ reads: [names = '', refersTo = ''] }) => [aroundLast(names), refersTo],
  waits: none,
  elements: ({ reads }) => reads,
  judgesKnown: true,
  derives: false,
  names: none,
  judge(rule, { root, input, scope, isWrong, speaksOf }) {
    const [names, refersTo] = rule.reads.map((address) => pathOf(address, scope)) as [Path, Path]
    const same = sameAs(rule.reads.flatMap((address) => nodesAt(root, declaredAt(address, scope))))
    const references = new Map<string, Reference[]>()
    const told = new Map<string, unknown>()
    const at = declaredAt(rule.reads[0] as string, scope)
    for (const place of concrete(input, refersTo)) {
      const by = beside(names, place)
      const [name, to] = [valueAt(input, by), valueAt(input, place)]
      if (isNone(name) || isNone(to) || speaksOf(place) !== true || isWrong(place) || isWrong(by)) continue
      const [from, target] = [same(name), same(to)]
      const known = references.get(from)
      if (known) known.push({ to: target, place })
      else references.set(from, [{ to: target, place }])
      told.set(from, toldAt(root, at, name))
    }
    const isHidden = isSecret(root, names) || isSecret(root, refersTo)
    return closing(references, ({ to }) => to).map(({ names, isShort, reference: { place } }) => {
      return faultOf(rule, place, {
        saidAs: 'in_a_cycle',
        ...(isHidden
          ? { variant: 'secret' }
          : {
              about: {
                cycle: new Cycle(
                  names.map((one) => told.get(one)),
                  isShort,
                ),
              },
            }),
      })
    })
  },
}

export const acyclicInService: RuleInService<Acyclic> = {
  takes: [anAddress, anAddress, wordOptions],
  compares: true,
  mistake({ reads }, measuresOf) {
    const [names, refersTo] = reads.map((address) => parseAddress(address) ?? []) as [Path, Path]
    if (firstEach(names) < 0 || strays(names, refersTo))
      return [
        `${reads.join(' and ')} name no fields of one element`,
        "Write them as 'body.tasks[].id' and 'body.tasks[].after[]'",
      ]
    return unlike('acyclic', reads, measuresOf, false)
  },
  code({ reads: [names = '', refersTo = ''] }, terms) {
    const { writer } = terms
    const sort = terms.sort(names)
    if (sort === 'other' || sort !== terms.sort(refersTo)) return undefined
    const references = writer.name('m')
    writer.line(`const ${references} = new Map()`)
    const isDone = terms.each(refersTo, (value, inside) => {
      const own = inside.value(names)
      const name = writer.name('v')
      if (own === undefined) return false
      const [from, to] = [name, value].map((one) => keyCode([{ name: one, sort }]))
      writer.line(`const ${name} = ${own}`)
      writer.line(`if (${value} != null && ${name} != null) ${writer.bind(refer)}(${references}, ${from}, ${to})`)
      return true
    })
    return isDone ? `${writer.bind(isAcyclic)}(${references})` : undefined
  },
  sentence: ({ blames }) => ({ code: 'in_a_cycle', variant: 'secret', at: blames }),
}

export function refer(references: Map<unknown, unknown[]>, from: unknown, to: unknown): void {
  const known = references.get(from)
  if (known) known.push(to)
  else references.set(from, [to])
}
export const isAcyclic = (references: ReadonlyMap<unknown, readonly unknown[]>): boolean =>
  closing(references, (to) => to, 1).length === 0

/** A reference that closes a cycle, with the names on its way round: of a long one, the first and the last. */
interface Closing<K, R> {
  readonly names: readonly K[]
  readonly isShort: boolean
  readonly reference: R
}
/**
 * The references that close a cycle, in the order of the elements, as far as each leads. Without recursion: a chain may
 * be as long as the request. Each costs the same, however long its way is.
 */
function closing<K, R>(
  references: ReadonlyMap<K, readonly R[]>,
  toOf: (reference: R) => K,
  most = Number.POSITIVE_INFINITY,
): readonly Closing<K, R>[] {
  const found: Closing<K, R>[] = []
  const done = new Set<K>()
  /** Where on the way each is. */
  const onWay = new Map<K, number>()
  for (const start of references.keys()) {
    if (done.has(start)) continue
    const way = [{ from: start, next: 0 }]
    onWay.set(start, 0)
    for (let last = way.at(-1); last; last = way.at(-1)) {
      const reference = (references.get(last.from) as readonly R[])[last.next++]
      if (reference === undefined) {
        onWay.delete(last.from)
        done.add(last.from)
        way.pop()
        continue
      }
      const to = toOf(reference)
      const at = onWay.get(to)
      if (at !== undefined) {
        const isShort = way.length - at > mostFirst + mostLast
        const told = isShort ? [...way.slice(at, at + mostFirst), ...way.slice(1 - mostLast)] : way.slice(at)
        found.push({ names: [...told.map(({ from }) => from), to], isShort, reference })
        if (found.length >= most) return found
      } else if (!done.has(to) && references.has(to)) {
        onWay.set(to, way.length)
        way.push({ from: to, next: 0 })
      }
    }
  }
  return found
}

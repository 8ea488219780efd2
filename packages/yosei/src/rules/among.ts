/** Every value occurs in another list, or as a name of a table. Blames each value that does not. */
import { amongWords } from '../catalogue/english.js'
import { isSecret, nodesAt } from '../kinds/locate.js'
import { Place, quoted } from '../kinds/phrase.js'
import { isNamed } from '../kinds/run.js'
import { sameAs } from '../kinds/same.js'
import { suggest } from '../kinds/suggest.js'
import { type Address, type InMany, lastEach, parseAddress, valueAt } from '../terms/address.js'
import { anAddress, eitherOf, type OptionType, taken } from '../terms/option-types.js'
import type { Like } from './compare.js'
import { keyCode } from './distinct.js'
import { aroundLast } from './elements.js'
import { concrete, declaredAt, faultOf, isNone, pathOf } from './input.js'
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
    among: Among
  }
}
/** The addresses of tables. */
export type TableOf<T> = Address<T> extends infer A ? (A extends `${infer P}{}${string}` ? P : never) : never

export interface AmongMaker<T> {
  /**
   * Every value occurs at the other address, in another list or table; or it is a name of a table. An absent list has no
   * values. If the other list cannot be read, the rule waits. Blames each value that does not occur there.
   *
   * @example
   * on.among('body.edges[].from', 'body.nodes[].id')
   * on.among('body.edges[].from', { namesOf: 'body.nodes' })
   */
  among<const A extends Address<T>, const B extends InMany<T>>(
    address: A,
    others: Like<T, A, B> | { readonly namesOf: TableOf<T> },
    options?: Wording,
  ): Rule
}
export interface Among extends Rule {
  readonly rule: 'among'
  readonly address: string
  /** The address of the others, or of the table whose names they are. */
  readonly others: string
  readonly areNames: boolean
}

const aTable: OptionType = /* @__PURE__ */ taken(
  'a table',
  "{ namesOf: 'body.nodes' }",
  (value) =>
    Boolean(value && typeof value === 'object' && Object.keys(value).join() === 'namesOf') &&
    anAddress.takes((value as { readonly namesOf: unknown }).namesOf),
)

const variantOf = ({ areNames }: Among, isNear: boolean) =>
  areNames ? (isNear ? 'namesNear' : 'names') : isNear ? 'near' : undefined

/** The rule `among`, for `use`. */
export const among: RuleOf<Among> = {
  words: amongWords,
  make(
    address: string,
    given: string | { readonly namesOf: string },
    { code = 'not_among', ...rest }: LooseBlame = {},
  ) {
    const areNames = typeof given !== 'string'
    const others = areNames ? given.namesOf : given
    return {
      rule: 'among',
      code,
      address,
      others,
      areNames,
      reads: [address, others],
      blames: [address],
      ...worded(rest),
    }
  },
  // The last list of the others is looked at as a whole; those around it may be shared.
  each: ({ address, others, areNames }) => [address, areNames ? others : aroundLast(others)],
  waits: none,
  elements: ({ address }) => [address],
  judgesKnown: true,
  derives: false,
  names: none,
  judge(rule, matter) {
    const { root, input, scope, isWrong, speaksOf, run } = matter
    const [from, others] = [pathOf(rule.address, scope), pathOf(rule.others, scope)]
    if (isWrong(others)) return []
    const nodes = [rule.address, rule.others].flatMap((address) => nodesAt(root, declaredAt(address, scope)))
    // A name is a text, and no number that is written like it.
    const same = rule.areNames ? (value: unknown) => value : sameAs(nodes)
    const values = concrete(input, others).map((place) => valueAt(input, place))
    const there = rule.areNames
      ? values.flatMap((table) => (isNamed(table) ? Object.keys(table) : []))
      : values.filter((one) => !isNone(one))
    const known = new Set(there.map(same))
    const isHidden = isSecret(root, from) || isSecret(root, others)
    const texts = isHidden ? [] : there.filter((one) => typeof one === 'string')
    return concrete(input, from).flatMap((place) => {
      const value = valueAt(input, place)
      if (isNone(value) || speaksOf(place) !== true || isWrong(place) || known.has(same(value))) return []
      const nearest = typeof value === 'string' && run.suggestions > 0 ? suggest(value, texts, run) : undefined
      const variant = variantOf(rule, nearest !== undefined)
      const sent = isHidden ? {} : { sent: toldAt(root, declaredAt(rule.address, scope), value) }
      const about = { other: new Place(others), ...(nearest === undefined ? {} : { nearest: quoted(nearest) }) }
      return [faultOf(rule, place, { saidAs: 'not_among', variant, about, ...sent })]
    })
  },
}

export const amongInService: RuleInService<Among> = {
  takes: [anAddress, /* @__PURE__ */ eitherOf(anAddress, aTable), wordOptions],
  compares: true,
  mistake({ address, others, areNames }, measuresOf, isDeclared) {
    if (areNames) {
      if (!isDeclared(`${others}{}`)) return [`${others} is no table`, 'Name a field made by table()']
      const measures = measuresOf(address)
      return measures.length === 0 || measures.some((one) => one === 'text' || one === 'own')
        ? undefined
        : [`${address} is a ${measures.join(' or ')}, and names are texts`, 'Name a field of texts']
    }
    if (lastEach(parseAddress(others) ?? []) < 0)
      return [`${others} is one value`, "Name values in a list: 'body.nodes[].id'; or compare with equal"]
    return unlike('among', [address, others], measuresOf, false)
  },
  code({ address, others, areNames }, terms) {
    const { writer } = terms
    const sort = terms.sort(address)
    if (sort === 'other' || (areNames ? sort !== 'text' : sort !== terms.sort(others))) return undefined
    const [known, holds] = [writer.name('s'), writer.name('h')]
    const key = (name: string) => keyCode([{ name, sort }])
    writer.line(`const ${known} = new Set()`)
    if (areNames) {
      const table = terms.value(others)
      if (table === undefined) return undefined
      const name = writer.name('v')
      writer.line(`for (const ${name} of isNamed(${table}) ? Object.keys(${table}) : none) ${known}.add(${name})`)
    } else {
      const isThere = terms.each(others, (value) => {
        writer.line(`if (${value} != null) ${known}.add(${key(value)})`)
        return true
      })
      if (!isThere) return undefined
    }
    writer.line(`let ${holds} = true`)
    const isDone = terms.each(address, (value) => {
      writer.line(`if (${value} != null && !${known}.has(${key(value)})) ${holds} = false`)
      return true
    })
    return isDone ? holds : undefined
  },
  sentence: ({ others, areNames, blames }) => ({
    code: 'not_among',
    variant: areNames ? 'names' : undefined,
    about: { other: others },
    at: blames,
  }),
}

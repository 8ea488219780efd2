/** So many elements of a list: all of them, or those that meet a condition. Blames the list. */
import { countWords, groupWords } from '../catalogue/english.js'
import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import { literal } from '../kinds/scalar.js'
import { type Address, type InMany, isEach, lastEach, type Path, parseAddress, valueAt } from '../terms/address.js'
import {
  aCondition,
  anAddress,
  eitherOf,
  listOf,
  merged,
  type Options,
  type OptionType,
  taken,
  withOptions,
} from '../terms/option-types.js'
import { byGroup, eachBounded, type Group, gather, grouping, mistakeOfBy, ofGroup, valuesIn } from './by.js'
import type { AnyCondition, Condition } from './condition.js'
import { addressesIn, holdingOf, mistakeIn } from './conditions.js'
import { listBlamed } from './elements.js'
import { beside, blamedAt, concrete, faultOf, isNone, listsShared, pathOf } from './input.js'
import { givenIn, limitsSaid, namesGiven, operators } from './limits.js'
import { During } from './needed.js'
import {
  type Blame,
  blameOptions,
  type LooseBlame,
  type Rule,
  type RuleInService,
  type RuleOf,
  worded,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    count: Count
  }
}
/** A number, or the address of one. */
type CountLimit<A extends string> = number | A
interface CountLimits<A extends string> {
  atLeast?: CountLimit<A> | undefined
  atMost?: CountLimit<A> | undefined
  exactly?: CountLimit<A> | undefined
  /** Counts those elements alone that meet this condition. */
  where?: Condition | undefined
  /**
   * Elements that share these values are counted among themselves, whichever list they are in. Those that lack one are one
   * group. An address with `[]` at its end: each of those elements alone.
   */
  by?: readonly A[] | undefined
}
export interface CountMaker<T> {
  /**
   * So many elements of a list or a table, or so many values at an address in it: all, or those that meet a
   * condition. If the condition of an element cannot be read, lower limits wait. Blames the list.
   *
   * @example
   * on.count('body.crew[]', { where: on.is('body.crew[].role', 'pilot'), atLeast: 2 })
   */
  count(address: InMany<T>, limits: CountLimits<Address<T>>, options?: Blame<T>): Rule
}
export interface Count extends Rule {
  readonly rule: 'count'
  readonly address: string
  readonly atLeast?: CountLimit<string>
  readonly atMost?: CountLimit<string>
  readonly exactly?: CountLimit<string>
  readonly where?: AnyCondition
  readonly by?: readonly string[]
}

const aCount = /* @__PURE__ */ eitherOf(
  /* @__PURE__ */ taken('a whole number from 0 on', '2', (value) => Number.isSafeInteger(value) && Number(value) >= 0),
  anAddress,
)
const limitOptions: Options<CountLimits<string>> = {
  atLeast: aCount,
  atMost: aCount,
  exactly: aCount,
  where: aCondition,
  by: /* @__PURE__ */ listOf(anAddress),
}
const someLimits: OptionType = /* @__PURE__ */ merged(withOptions(limitOptions), {
  what: 'limits',
  example: '{ atMost: 1 }',
})

const others = (rule: Count): readonly string[] =>
  namesGiven(rule)
    .map((name) => rule[name])
    .filter((limit) => typeof limit === 'string')
const looksAt = ({ where }: Count): readonly string[] => (where ? addressesIn(where) : [])

/** The rule `count`, for `use`. */
export const count: RuleOf<Count> = {
  words: /* @__PURE__ */ merged(countWords, groupWords),
  make(address: string, { where, by, ...limits }: CountLimits<string> = {}, options: LooseBlame = {}) {
    const held = {
      ...givenIn(limits),
      ...(where === undefined ? {} : { where: where as AnyCondition }),
      ...(by === undefined ? {} : { by }),
    }
    const far = others(held as Count)
    const { code = '', blames = [listBlamed(address, eachBounded([address], far, by))] } = options
    const reads = [...new Set([address, ...looksAt(held as Count), ...far, ...valuesIn(by)])]
    return { rule: 'count', code, address, ...held, reads, blames, ...worded(options) }
  },
  each: (rule) => eachBounded([rule.address], others(rule), rule.by),
  waits: ({ address }) => [address],
  elements: (rule) => [rule.address, ...looksAt(rule), ...valuesIn(rule.by)],
  judgesKnown: true,
  derives: false,
  names: ({ address }) => [address],
  judge(rule, matter) {
    const { root, input, scope, isWrong, speaksOf } = matter
    const at = (address: string) => pathOf(address, scope)
    const path = at(rule.address)
    const isOfElements = isEach((parseAddress(rule.address) ?? []).at(-1))
    const looked = looksAt(rule).map(at)
    const holds = rule.where && holdingOf(rule.where, matter)
    const groupOf = grouping(rule.by, matter)
    const counted: { readonly group: Group; readonly isOne: boolean }[] = []
    let isKnown = true
    for (const place of concrete(input, path)) {
      const speaks = speaksOf(place)
      if (speaks === false) continue
      const group = groupOf(place)
      // Something wrong inside of an element makes it no less an element.
      const isRead = (isOfElements || !isWrong(place)) && !looked.some((one) => isWrong(beside(one, place)))
      if (!group || !speaks || !isRead) {
        isKnown = false
        continue
      }
      const isThere = isWrong(place) || !isNone(valueAt(input, place))
      counted.push({ group, isOne: isThere && (!holds || holds(place)) })
    }
    return byGroup(rule.by, counted).flatMap(({ group, elements }) => {
      const count = elements.filter(({ isOne }) => isOne).length
      return namesGiven(rule).flatMap((name) => {
        const given = rule[name]
        const far = typeof given === 'string' ? at(given) : undefined
        const limit = far ? valueAt(input, far) : given
        if (isNone(limit)) return []
        // What is not known may be more, and not less.
        const isOver = count > Number(limit) && name !== 'atLeast'
        const isUnder = count < Number(limit) && name !== 'atMost' && isKnown
        if (!isOver && !isUnder) return []
        const saidAs = isOver ? 'too_many' : 'too_few'
        const isHidden = rule.reads.some((address) => isSecret(root, at(address)))
        const during = rule.where && !isHidden ? new During(rule.where, matter) : undefined
        const about = {
          bound: far ? new Place(far, limit) : limit,
          size: limit,
          count: isHidden ? String(count) : ofGroup(group, String(count)),
          ...(during ? { when: during.when } : {}),
        }
        const variant = during ? 'countWhen' : isHidden ? 'countSecret' : 'count'
        const rest = { code: rule.code || saidAs, saidAs, variant, limit: isHidden ? undefined : limit, about }
        return rule.blames.flatMap((address) => blamedAt(input, at(address)).map((one) => faultOf(rule, one, rest)))
      })
    })
  },
}

export const countInService: RuleInService<Count> = {
  takes: [anAddress, someLimits, blameOptions],
  compares: false,
  mistake(rule, measuresOf) {
    const { address, where, by } = rule
    if (namesGiven(rule).length === 0)
      return ['it has no limit', 'Give { atLeast: 1 }, { atMost: 1 } or { exactly: 2 }']
    const path = parseAddress(address) ?? []
    if (lastEach(path) < 0) return [`${address} is one value`, "Name the elements of a list: 'body.crew[]'"]
    const [least, most] = [rule.exactly ?? rule.atLeast, rule.exactly ?? rule.atMost]
    if (typeof least === 'number' && typeof most === 'number' && least > most)
      return ['no count is within its limits', 'Give the lesser as atLeast']
    const odd = others(rule).find(
      (one) => !measuresOf(one).some((measure) => measure === 'number' || measure === 'own'),
    )
    if (odd !== undefined) return [`${odd} holds no number`, 'Name a field of whole numbers']
    const lists = listsShared([address, ...others(rule)].map((one) => parseAddress(one) ?? [])).length
    const limit = others(rule).find((one) => lastEach(parseAddress(one) ?? []) >= lists || lists > lastEach(path))
    if (limit !== undefined)
      return [`${limit} is no one limit of the count`, 'Name a field outside of lists, or of those around this one']
    const isElsewhere = (one: Path) => lastEach(one) >= 0 && listsShared([one, path]).length === 0
    const far = looksAt(rule).find((one) => isElsewhere(parseAddress(one) ?? []))
    if (far !== undefined)
      return [
        `where asks about ${far}, in another list than it counts`,
        'Put that condition into a while around the count',
      ]
    return (where && mistakeIn(where, measuresOf)) ?? mistakeOfBy(by, [address])
  },
  code(rule, terms) {
    const { writer } = terms
    const given = namesGiven(rule)
    const limits = given.map((name) => {
      const limit = rule[name] as CountLimit<string>
      return typeof limit === 'number'
        ? literal(writer, limit)
        : terms.sort(limit) === 'number'
          ? terms.value(limit)
          : undefined
    })
    if (limits.includes(undefined)) return undefined
    const groups = gather(rule.by, '0', terms)
    const isDone = terms.each(rule.address, (value, inside) => {
      const due = rule.where ? inside.when(rule.where) : 'true'
      if (due === undefined) return false
      return groups.add(inside, (count) => writer.line(`if (${value} != null && ${due}) ${count}++`))
    })
    if (!isDone) return undefined
    return groups.every((count) =>
      given.map((name, at) => `(${limits[at]} == null || ${count} ${operators[name]} ${limits[at]})`).join(' && '),
    )
  },
  sentence(rule, { isSecret }) {
    const { atLeast, atMost, exactly, where, blames } = rule
    // Of a condition on a secret not even the words are reported.
    if (looksAt(rule).some(isSecret)) return { code: 'rule', variant: 'countSecret', at: blames }
    const variant = `count${limitsSaid(rule)}${where ? 'When' : ''}` as const
    return { code: 'rule', variant, about: { least: atLeast, most: atMost, limit: exactly, when: where }, at: blames }
  },
}

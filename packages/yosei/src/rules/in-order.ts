/** Each element of a list comes after the one before it. Blames the later one. */
import { orderWords } from '../catalogue/english.js'
import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import type { InList } from '../terms/address.js'
import { aFlag, anAddress, merged } from '../terms/option-types.js'
import { gather, mistakeOfBy, valuesIn } from './by.js'
import { type Element, eachBy, groupsOf, mistakeOfElements, restOf } from './elements.js'
import { declaredAt, faultOf, isNone } from './input.js'
import { areTimes, measuresAt, orderAt, toldAt, withoutOrder } from './measure.js'
import {
  groupOptions,
  type InGroups,
  type LooseGroups,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  worded,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    inOrder: InOrder
  }
}
export interface InOrderMaker<T> {
  /**
   * Each element of a list comes after the one before it (or with it, with `orEqual`); elements without a value are passed
   * by. Blames the later one.
   *
   * @example
   * on.inOrder('body.legs[].departs', { orEqual: true })
   */
  inOrder(address: InList<T>, options?: InGroups<T> & { orEqual?: boolean | undefined }): Rule
}
export interface InOrder extends Rule {
  readonly rule: 'inOrder'
  readonly orEqual: boolean
  readonly by?: readonly string[]
}

/** The rule `inOrder`, for `use`. */
export const inOrder: RuleOf<InOrder> = {
  words: orderWords,
  make(
    address: string,
    { code = 'out_of_order', orEqual = false, by, ...rest }: LooseGroups & { orEqual?: boolean } = {},
  ) {
    const reads = [...new Set([address, ...valuesIn(by)])]
    const grouped = by === undefined ? {} : { by }
    return { rule: 'inOrder', code, orEqual, ...grouped, reads, blames: [address], ...worded(rest) }
  },
  each: ({ reads, by }) => eachBy(reads.slice(0, 1), by),
  waits: ({ reads }) => reads.slice(0, 1),
  elements: ({ reads }) => reads,
  judgesKnown: true,
  derives: false,
  names: none,
  judge(rule, matter) {
    const { root, scope } = matter
    const [address = ''] = rule.reads
    const declared = declaredAt(address, scope)
    const order = orderAt(root, declared, `${scope.base} ${address}`)
    const isTime = measuresAt(root, declared).some((measure) => areTimes.includes(measure))
    const variant = `second${isTime ? 'Time' : ''}${rule.orEqual ? 'OrEqual' : ''}`
    const rest = restOf(address)
    const pairs = groupsOf([address], rule.by, matter).flatMap((elements) => {
      const there = elements.filter(({ values: [value] }) => !isNone(value))
      return there.slice(1).map((one, index) => ({ one, before: there[index] as Element }))
    })
    return pairs.flatMap(({ one, before }) => {
      const {
        path,
        values: [value],
      } = one
      const found = order(before.values[0], value)
      if (rule.orEqual ? found <= 0 : found < 0) return []
      const [place, other] = [
        [...path, ...rest],
        [...before.path, ...rest],
      ]
      const told = isSecret(root, place) ? {} : { value: toldAt(root, declared, before.values[0]) }
      const sent = isSecret(root, place) ? {} : { sent: toldAt(root, declared, value) }
      return [
        faultOf(rule, place, { saidAs: 'out_of_order', variant, about: { other: new Place(other), ...told }, ...sent }),
      ]
    })
  },
}

export const inOrderInService: RuleInService<InOrder> = {
  takes: [anAddress, /* @__PURE__ */ merged(groupOptions, { orEqual: aFlag })],
  compares: true,
  mistake({ reads: [address = ''], by }, measuresOf) {
    return mistakeOfElements([address]) ?? withoutOrder([address], measuresOf) ?? mistakeOfBy(by, [address])
  },
  code({ reads: [address = ''], orEqual, by }, terms) {
    const { writer } = terms
    const [holds, sort] = [writer.name('h'), terms.sort(address)]
    writer.line(`let ${holds} = true`)
    const groups = gather(by, 'undefined', terms)
    const isDone = terms.each(address, (value, inside) =>
      writer.block(`if (${value} != null) {`, () =>
        groups.add(inside, (last) => {
          const operator = orEqual ? '<=' : '<'
          const next = sort === 'instant' ? `${value}.getTime()` : value
          const isAfter =
            sort === 'instant' ? `${last} ${operator} ${next}` : terms.compare(address, last, operator, next, sort)
          writer.line(`if (${last} !== undefined && !(${isAfter})) ${holds} = false`)
          writer.line(`${last} = ${next}`)
        }),
      ),
    )
    return isDone ? holds : undefined
  },
  sentence: ({ reads, orEqual }, { isTime }) => ({
    code: 'rule',
    variant: `inOrder${isTime(reads[0] ?? '') ? 'Time' : ''}${orEqual ? 'OrEqual' : ''}` as const,
    at: reads.slice(0, 1),
  }),
}

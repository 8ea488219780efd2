/** Each element of a list comes after the one before it. Blames the later one. */
import { orderWords } from '../catalogue/english.js'
import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import type { Address } from '../terms/address.js'
import { aFlag, anAddress, merged } from '../terms/option-types.js'
import { mistakeOfBy, valuesIn } from './by.js'
import { type Element, eachBy, groupedCode, groupsOf, mistakeOfElements, restOf } from './elements.js'
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
import type { Terms } from './terms.js'

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
  inOrder(address: Address<T> & `${string}[]${string}`, options?: InGroups<T> & { orEqual?: boolean | undefined }): Rule
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
    const list = terms.elements(address)
    if (by) return groupedOrder(address, orEqual, by, terms)
    const [element, last, holds] = [writer.name('e'), writer.name('v'), writer.name('h')]
    const value = list?.of(element)
    if (!list || value === undefined) return undefined
    const sort = terms.sort(address)
    writer.line(`let ${last}, ${holds} = true`)
    writer.block(`for (const ${element} of ${list.list}) {`, () => {
      const next = writer.name('v')
      writer.line(`const ${next} = ${value}`)
      writer.line(`if (${next} == null) continue`)
      const operator = orEqual ? '<=' : '<'
      const time = writer.name('t')
      if (sort === 'instant') writer.line(`const ${time} = ${next}.getTime()`)
      const inOrder =
        sort === 'instant' ? `${last} ${operator} ${time}` : terms.compare(address, last, operator, next, sort)
      writer.line(`if (${last} !== undefined && !(${inOrder})) { ${holds} = false; break }`)
      writer.line(`${last} = ${sort === 'instant' ? time : next}`)
    })
    return holds
  },
  sentence: ({ reads, orEqual }, { isTime }) => ({
    code: 'rule',
    variant: `inOrder${isTime(reads[0] ?? '') ? 'Time' : ''}${orEqual ? 'OrEqual' : ''}` as const,
    at: reads.slice(0, 1),
  }),
}

function groupedOrder(address: string, orEqual: boolean, by: readonly string[], terms: Terms): string | undefined {
  const { writer } = terms
  const [groups, holds, sort] = [writer.name('m'), writer.name('h'), terms.sort(address)]
  writer.line(`const ${groups} = new Map()`)
  writer.line(`let ${holds} = true`)
  const isDone = terms.each(address, (value, inside) => {
    let last: string | undefined
    writer.block(`if (${value} != null) {`, () => {
      last = groupedCode(by, groups, '{ value: undefined }', inside)
      const test = terms.compare(address, `${last}.value`, orEqual ? '<=' : '<', value, sort)
      writer.line(`if (${last}.value !== undefined && !(${test})) ${holds} = false`)
      writer.line(`${last}.value = ${value}`)
    })
    return last !== undefined
  })
  return isDone ? holds : undefined
}

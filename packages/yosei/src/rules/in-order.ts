/** Each element of a list comes after the one before it. Blames the later one. */
import { orderWords } from '../catalogue/english.js'
import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import type { Address } from '../terms/address.js'
import { aFlag, anAddress, merged } from '../terms/option-types.js'
import { elementsOf, listOfAll, mistakeOfElements, restOf } from './elements.js'
import { declaredAt, faultOf, isNone } from './input.js'
import { areTimes, measuresAt, orderAt, toldAt, withoutOrder } from './measure.js'
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
  inOrder(address: Address<T> & `${string}[]${string}`, options?: Wording & { orEqual?: boolean | undefined }): Rule
}
export interface InOrder extends Rule {
  readonly rule: 'inOrder'
  readonly orEqual: boolean
}

/** The rule `inOrder`, for `use`. */
export const inOrder: RuleOf<InOrder> = {
  words: orderWords,
  make(address: string, { code = 'out_of_order', orEqual = false, ...rest }: LooseBlame & { orEqual?: boolean } = {}) {
    return { rule: 'inOrder', code, orEqual, reads: [address], blames: [address], ...worded(rest) }
  },
  each: ({ reads }) => [listOfAll(reads) ?? ''],
  waits: ({ reads }) => reads,
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
    const there = elementsOf(rule.reads, matter).filter(({ values: [value] }) => !isNone(value))
    return there.slice(1).flatMap(({ path, values: [value] }, index) => {
      const before = there[index] as (typeof there)[number]
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
  takes: [anAddress, /* @__PURE__ */ merged(wordOptions, { orEqual: aFlag })],
  compares: true,
  mistake: ({ reads }, measuresOf) => mistakeOfElements(reads) ?? withoutOrder(reads, measuresOf),
  code({ reads: [address = ''], orEqual }, terms) {
    const list = terms.elements(address)
    const { writer } = terms
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
    at: reads,
  }),
}

/** No two elements of a list have all of some values the same. Blames the later element. */
import { nodesAt } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import { sameAs } from '../kinds/same.js'
import type { InList } from '../terms/address.js'
import { anAddress } from '../terms/option-types.js'
import { gather, mistakeOfBy, valuesIn } from './by.js'
import { eachBy, elementOf, groupsOf, mistakeOfElements } from './elements.js'
import { declaredAt, faultOf, isNone } from './input.js'
import {
  groupOptions,
  type InGroups,
  type LooseBlame,
  type LooseGroups,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  withOptions,
  worded,
} from './rule.js'
import type { Sort } from './terms.js'

declare module './rule.js' {
  interface Rules {
    distinct: Distinct
  }
}
export interface DistinctMaker<T> {
  /**
   * No two elements of a list have all of these the same; one that lacks any of them is not compared. Blames the later.
   *
   * @example
   * on.distinct('body.rows[].team', 'body.rows[].night')
   */
  distinct(...given: readonly [InList<T>, ...InList<T>[]] | readonly [InList<T>, ...InList<T>[], InGroups<T>]): Rule
}
export interface Distinct extends Rule {
  readonly rule: 'distinct'
  /** What is compared. */
  readonly addresses: readonly string[]
  readonly by?: readonly string[]
}

/**
 * What is the same of some values together if and only if each is: texts last, and before all but the last of them their
 * length, since a text may hold what parts it from the next.
 */
export function keyCode(values: readonly { readonly name: string; readonly sort: Sort }[]): string {
  const texts = values.filter(({ sort }) => sort === 'text').map(({ name }) => name)
  const others = values
    .filter(({ sort }) => sort !== 'text')
    .map(({ name, sort }) => (sort === 'instant' ? `${name}.getTime()` : name))
  const last = texts.pop()
  const keys = [...others, ...texts.map((name) => `${name}.length + ":" + ${name}`), ...(last ? [last] : [])]
  return keys.join(' + " " + ')
}

/** The rule `distinct`, for `use`. */
export const distinct: RuleOf<Distinct> = {
  words: {},
  make(...given: (string | LooseBlame)[]) {
    const [addresses, { code = 'repeated', by, ...rest }] = withOptions(given) as [readonly string[], LooseGroups]
    const reads = [...new Set([...addresses, ...valuesIn(by)])]
    const grouped = by === undefined ? {} : { by }
    return { rule: 'distinct', code, addresses, ...grouped, reads, blames: [elementOf(addresses)], ...worded(rest) }
  },
  each: ({ addresses, by }) => eachBy(addresses, by),
  waits: none,
  elements: ({ reads }) => reads,
  judgesKnown: true,
  derives: false,
  names: none,
  judge(rule, matter) {
    const same = rule.addresses.map((address) => sameAs(nodesAt(matter.root, declaredAt(address, matter.scope))))
    return groupsOf(rule.addresses, rule.by, matter).flatMap((elements) => {
      const seen = new Map<string, Place>()
      return elements.flatMap(({ path, values }) => {
        if (values.some(isNone)) return []
        const key = JSON.stringify(values.map((value, at) => same[at]?.(value)))
        const other = seen.get(key)
        if (other === undefined) seen.set(key, new Place(path))
        return other === undefined ? [] : [faultOf(rule, path, { saidAs: 'repeated', about: { other } })]
      })
    })
  },
}

export const distinctInService: RuleInService<Distinct> = {
  takes: [anAddress, groupOptions],
  hasRest: true,
  compares: true,
  mistake: ({ addresses, by }) => mistakeOfElements(addresses) ?? mistakeOfBy(by, addresses),
  code({ addresses, by }, terms) {
    const { writer } = terms
    const sorts = addresses.map(terms.sort)
    if (sorts.includes('other')) return undefined
    const holds = writer.name('h')
    writer.line(`let ${holds} = true`)
    const groups = gather(by, 'new Set()', terms)
    const isDone = terms.each(addresses[0] ?? '', (_, inside) => {
      const values = addresses.map(inside.value)
      if (values.includes(undefined)) return false
      const named = values.map((value, at) => {
        const name = writer.name('v')
        writer.line(`const ${name} = ${value}`)
        return { name, sort: sorts[at] as Sort }
      })
      return writer.block(`if (${named.map(({ name }) => `${name} != null`).join(' && ')}) {`, () => {
        const key = writer.name('v')
        writer.line(`const ${key} = ${keyCode(named)}`)
        return groups.add(inside, (seen) =>
          writer.line(`if (${seen}.has(${key})) ${holds} = false; else ${seen}.add(${key})`),
        )
      })
    })
    return isDone ? holds : undefined
  },
  sentence: ({ addresses, blames }) => ({ code: 'rule', variant: 'distinct', about: { addresses }, at: blames }),
}

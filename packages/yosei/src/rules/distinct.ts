/** No two elements of a list have all of some values the same. Blames the later element. */
import { nodesAt } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import { sameAs } from '../kinds/same.js'
import type { Address } from '../terms/address.js'
import { anAddress } from '../terms/option-types.js'
import { elementOf, elementsOf, listOfAll, mistakeOfElements } from './elements.js'
import { declaredAt, faultOf, isNone } from './input.js'
import {
  type LooseBlame,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  type Wording,
  withOptions,
  worded,
  wordOptions,
} from './rule.js'
import type { Sort } from './terms.js'

declare module './rule.js' {
  interface Rules {
    distinct: Distinct
  }
}
type InList<T> = Address<T> & `${string}[]${string}`
export interface DistinctMaker<T> {
  /**
   * No two elements of a list have all of these the same; one that lacks any of them is not compared. Blames the later.
   *
   * @example
   * on.distinct('body.rows[].team', 'body.rows[].night')
   */
  distinct(...given: readonly [InList<T>, ...InList<T>[]] | readonly [InList<T>, ...InList<T>[], Wording]): Rule
}
export interface Distinct extends Rule {
  readonly rule: 'distinct'
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
    const [reads, { code = 'repeated', ...rest }] = withOptions(given)
    return { rule: 'distinct', code, reads, blames: [elementOf(reads)], ...worded(rest) }
  },
  each: ({ reads }) => [listOfAll(reads) ?? ''],
  waits: none,
  elements: ({ reads }) => reads,
  judgesKnown: true,
  derives: false,
  names: none,
  judge(rule, matter) {
    const same = rule.reads.map((address) => sameAs(nodesAt(matter.root, declaredAt(address, matter.scope))))
    const seen = new Map<string, Place>()
    return elementsOf(rule.reads, matter).flatMap(({ path, values }) => {
      if (values.some(isNone)) return []
      const key = JSON.stringify(values.map((value, at) => same[at]?.(value)))
      const other = seen.get(key)
      if (other === undefined) seen.set(key, new Place(path))
      return other === undefined ? [] : [faultOf(rule, path, { saidAs: 'repeated', about: { other } })]
    })
  },
}

export const distinctInService: RuleInService<Distinct> = {
  takes: [anAddress, wordOptions],
  hasRest: true,
  compares: true,
  mistake: ({ reads }) => mistakeOfElements(reads),
  code({ reads }, terms) {
    const { writer } = terms
    const list = terms.elements(reads[0] ?? '')
    const [element, seen, holds, key] = [writer.name('e'), writer.name('s'), writer.name('h'), writer.name('v')]
    const values = reads.map((address) => ({ value: terms.elements(address)?.of(element), sort: terms.sort(address) }))
    if (!list || values.some(({ value, sort }) => value === undefined || sort === 'other')) return undefined
    writer.line(`const ${seen} = new Set()`)
    writer.line(`let ${holds} = true`)
    writer.block(`for (const ${element} of ${list.list}) {`, () => {
      const names = values.map(({ value }) => {
        const name = writer.name('v')
        writer.line(`const ${name} = ${value}`)
        return name
      })
      writer.line(`if (${names.map((name) => `${name} == null`).join(' || ')}) continue`)
      const named = values.map(({ sort }, at) => ({ name: names[at] as string, sort }))
      writer.line(`const ${key} = ${keyCode(named)}`)
      writer.line(`if (${seen}.has(${key})) { ${holds} = false; break }`)
      writer.line(`${seen}.add(${key})`)
    })
    return holds
  },
  sentence: ({ reads, blames }) => ({ code: 'rule', variant: 'distinct', about: { addresses: reads }, at: blames }),
}

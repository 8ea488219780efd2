/** No two elements of a list have all of some values the same. Blames the later element. */
import { Place } from '../kinds/run.js'
import type { Address } from '../terms/address.js'
import { canonical } from '../terms/canonical.js'
import { anAddress } from '../terms/taken.js'
import { elementOf, elementsOf, listOfAll, mistakeOfElements } from './elements.js'
import { faultOf, isNone } from './matter.js'
import { none, type Rule, type RuleOf } from './rule.js'

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
  distinct(...addresses: readonly [InList<T>, ...InList<T>[]]): Rule
}
export interface Distinct extends Rule {
  readonly rule: 'distinct'
}

export const distinct: RuleOf<Distinct> = {
  make: (...reads: string[]) => ({ rule: 'distinct', code: 'repeated', reads, blames: [elementOf(reads)] }),
  takes: [anAddress],
  hasRest: true,
  each: ({ reads }) => [listOfAll(reads) ?? ''],
  waits: false,
  derives: false,
  compares: true,
  names: none,
  mistake: ({ reads }) => mistakeOfElements(reads),
  judge(rule, matter) {
    const seen = new Map<string, Place>()
    return elementsOf(rule.reads, matter).flatMap(({ path, values }) => {
      if (values.some(isNone)) return []
      const key = canonical(values)
      const other = seen.get(key)
      if (other === undefined) seen.set(key, new Place(path))
      return other === undefined ? [] : [faultOf(rule, path, { about: { other } })]
    })
  },
  sentence: ({ reads, blames }) => ({ code: 'rule', variant: 'distinct', about: { addresses: reads }, at: blames }),
}

/** Conditions on the values at an address. */
import { quote } from '../kinds/quote.js'
import { literal } from '../kinds/scalar.js'
import { type Path, valueAt } from '../terms/address.js'
import type { Holding } from './condition.js'
import { concrete, declaredAt, eachOnce, isNone, pathOf, type RuleInput, stepsShared } from './input.js'
import { orderAt } from './measure.js'
import { isOther } from './other.js'
import type { Operator, Sort, Terms } from './terms.js'

/** Holds where a value that is there stands to one of the others as the test says. */
export function valuesHold(
  address: string,
  others: readonly unknown[],
  { root, input, scope }: RuleInput,
  test: (order: number) => boolean,
): Holding {
  const path = pathOf(address, scope)
  const order = orderAt(root, declaredAt(address, scope))
  const given = others.map((other) => (isOther(other) ? pathOf(other.other, scope) : { value: other }))
  const far = given.filter(isPath)
  return eachOnce([path, ...far], (steps = [], ...farSteps) =>
    concrete(input, path, steps).some((place) => {
      const value = valueAt(input, place)
      if (isNone(value)) return false
      return given.some((other) => {
        if (!isPath(other)) return test(order(value, other.value))
        // Of the same element, if both lie in it; else of the element that is blamed, or of any.
        const shared = stepsShared(other, place)
        const blamed = farSteps[far.indexOf(other)] ?? []
        return concrete(input, other, shared.length < blamed.length ? blamed : shared).some((there) => {
          const limit = valueAt(input, there)
          return !isNone(limit) && test(order(value, limit))
        })
      })
    }),
  )
}

/** The same as code. */
export function valuesCode(
  address: string,
  others: readonly unknown[],
  operator: Operator,
  terms: Terms,
): string | undefined {
  const sort = terms.sort(address)
  return terms.some(address, (value, inside) => {
    const tests = others.map((other) => {
      if (!isOther(other)) return againstConstant(address, value, operator, other, sort, terms)
      return inside.some(other.other, (limit) =>
        terms.compare(address, value, operator, limit, terms.sort(other.other)),
      )
    })
    return tests.includes(undefined) ? undefined : `(${tests.join(' || ') || 'false'})`
  })
}

function againstConstant(
  address: string,
  value: string,
  operator: Operator,
  other: unknown,
  sort: Sort,
  terms: Terms,
): string {
  const { writer } = terms
  if (sort === 'text' && typeof other === 'string') return `${value} ${operator} ${quote(other)}`
  if (sort === 'number' && typeof other === 'number') return `${value} ${operator} ${literal(writer, other)}`
  if (sort === 'instant' && other instanceof Date)
    return `${value}.getTime() ${operator} ${literal(writer, other.getTime())}`
  return terms.compare(address, value, operator, writer.bind(other), 'other')
}

const isPath = (given: Path | { readonly value: unknown }): given is Path => Array.isArray(given)

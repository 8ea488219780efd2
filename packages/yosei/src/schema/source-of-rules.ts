/** What a schema says of the names of an object, as rules of its record. */
import type { Node } from '../kinds/kind.js'
import { isNamed } from '../kinds/run.js'
import { formatAddress } from '../terms/address.js'
import { isList } from './positions.js'
import type { Keywords } from './program.js'
import { literal } from './typescript.js'

/** Each rule as source; `undefined` if rules do not say the same. */
export function sourceOfRules(keywords: Keywords, base: Node): readonly string[] | undefined {
  const found: string[] = []
  if ('if' in keywords) return conditional(keywords, base)
  for (const [keyword, value] of Object.entries(keywords)) {
    const own = Object.hasOwn(writers, keyword) ? writers[keyword]?.(value, base) : undefined
    if (own === undefined) return undefined
    found.push(...own)
  }
  return found
}

/** Of `if` and `then`, which are read together. */
function conditional({ if: when, then, ...others }: Keywords, base: Node): readonly string[] | undefined {
  const names = namesOf(when)
  const rules = isNamed(then) ? sourceOfRules(then, base) : undefined
  if (!names?.every((one) => mayBeAbsent(base, one)) || !rules || Object.keys(others).length > 0) return undefined
  const sent = names.map((one) => `on.sent(${addressOf(one)})`)
  return [`on.while(${sent.length === 1 ? sent[0] : `on.all(${sent.join(', ')})`}, [${rules.join(', ')}])`]
}

type Write = (value: unknown, base: Node) => readonly string[] | undefined
const writers: { readonly [keyword: string]: Write } = {
  allOf(value, base) {
    const all = isList(value) ? value.map((one) => (isNamed(one) ? sourceOfRules(one, base) : undefined)) : [undefined]
    return all.every((one) => one !== undefined) ? all.flat() : undefined
  },
  anyOf: (value, base) => counted('atLeastOne', onlyRequired(value), base),
  oneOf: (value, base) => counted('exactlyOne', onlyRequired(value), base),
  not(value, base) {
    const names = namesOf(value)
    return names?.length === 2 ? counted('atMostOne', names, base) : undefined
  },
  dependentRequired(value, base) {
    if (!isNamed(value)) return undefined
    const all = Object.entries(value).flatMap(([name, needed]) =>
      isList(needed) ? needed.map((one) => [name, String(one)] as const) : [],
    )
    if (!all.every((pair) => pair.every((one) => mayBeAbsent(base, one)))) return undefined
    return all.map(([name, needed]) => `on.needed(${addressOf(needed)}, on.sent(${addressOf(name)}))`)
  },
}

const addressOf = (name: string) => literal(formatAddress([name]))
const counted = (rule: string, names: readonly string[] | undefined, base: Node) =>
  names && names.length > 1 && new Set(names).size === names.length && names.every((one) => mayBeAbsent(base, one))
    ? [`on.${rule}(${names.map(addressOf).join(', ')})`]
    : undefined

/** The names that an object must have, if a schema says nothing else. */
function namesOf(schema: unknown): readonly string[] | undefined {
  if (!isNamed(schema)) return undefined
  const { required, ...others } = schema
  return isList(required) && Object.keys(others).length === 0 ? required.map(String) : undefined
}
/** The one name of each of some alternatives. */
function onlyRequired(value: unknown): readonly string[] | undefined {
  const all = isList(value) ? value.map(namesOf) : []
  return all.length > 0 && all.every((names) => names?.length === 1) ? all.flatMap((names) => names ?? []) : undefined
}
/** Whether it is declared, and only the client decides whether it is sent. */
const mayBeAbsent = (base: Node, name: string): boolean =>
  base.kind === 'record' &&
  Object.hasOwn(base.fields, name) &&
  base.fields[name]?.need === 'optional' &&
  !base.fields[name]?.readOnly

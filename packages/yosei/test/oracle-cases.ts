/** Declarations, rules and requests made at random from streams of numbers, so that they shrink to the first choices. */
import fc from 'fast-check'
import { DeclarationError, type Endpoint, endpoint, intake, judgeParts } from 'yosei'
import { compiled, endpointNode, startRun } from '../dist/internals.js'
import {
  type Asked,
  atoms,
  type Cond,
  copy,
  fieldOf,
  type Given,
  oracle,
  type RuleSpec,
  ruleOf,
  type Source,
  type Spec,
  scalars,
  show,
  Undecided,
} from './oracle.ts'
import { withCode } from './prepared.ts'

/** Takes numbers one after the other, from the start again when they end. */
export function stream(numbers: readonly number[]) {
  let next = 0
  const take = (most: number) => (numbers[next++ % numbers.length] as number) % most
  return { take, of: <T>(values: readonly T[]): T => values[take(values.length)] as T }
}
export type Stream = ReturnType<typeof stream>

export const names = ['a', 'b', 'c', 'k'] as const
const scalarNames = Object.keys(scalars)
/** What another field reads otherwise than it was read. */
const tidied = ['lower', 'kept', 'compact']
const own = fc.record({
  optional: fc.constantFrom(false, false, true),
  nullable: fc.constantFrom(false, false, false, true),
  coerce: fc.constantFrom(undefined, undefined, undefined, undefined, true, false),
  readOnly: fc.constantFrom(
    undefined,
    undefined,
    undefined,
    undefined,
    undefined,
    undefined,
    undefined,
    true,
    'drop' as const,
  ),
  fallback: fc.option(fc.nat(), { freq: 9 }),
})
export const leaf = fc.tuple(fc.constantFrom(...scalarNames), own).map(([scalar, { fallback, ...options }]): Spec => {
  const fallbacks = jsonOf(scalar)
  const given =
    fallback === null || options.optional || options.readOnly || scalar === 'isNull'
      ? undefined
      : { json: fallbacks[fallback % fallbacks.length] }
  return {
    is: 'scalar',
    scalar,
    ...options,
    nullable: options.nullable && scalar !== 'isNull',
    optional: options.optional && !options.readOnly,
    readOnly: options.readOnly as never,
    ...(given ? { fallback: given } : {}),
  }
})
/** The JSON that a scalar takes. */
function jsonOf(name: string): readonly unknown[] {
  const { texts, values, isText, otherText } = scalars[name] as (typeof scalars)[string]
  const isRight = (read: unknown) => typeof read !== 'string' || !read.startsWith('!')
  const own = isText ? Object.keys(texts).filter((text) => isRight(texts[text])) : []
  return [...own, ...[...values].flatMap(([value, read]) => (isRight(read) ? [value] : [])), ...freeTexts(otherText)]
}
const freeTexts = (other: unknown): readonly string[] =>
  typeof other === 'function' ? ['x', 'wrong'].filter((text) => !String(other(text)).startsWith('!')) : []
const textsOf = (name: string): readonly string[] => {
  const { texts, otherText } = scalars[name] as (typeof scalars)[string]
  return [
    ...Object.keys(texts).filter((text) => typeof texts[text] !== 'string' || !(texts[text] as string).startsWith('!')),
    ...freeTexts(otherText),
    ...(typeof otherText === 'function' ? [''] : []),
  ]
}

export const { spec, record: recordSpec } = fc.letrec<{
  spec: Spec
  record: Spec
  fields: { [name: string]: Spec }
  either: Spec
}>((tie) => ({
  fields: fc.dictionary(fc.constantFrom(...names), tie('spec'), { maxKeys: 4, noNullPrototype: true }),
  record: fc
    .record({
      fields: tie('fields'),
      own,
      unlisted: fc.constantFrom(undefined, undefined, undefined, 'drop' as const, 'keep' as const),
    })
    .map(
      ({ fields, own: { optional, nullable, coerce }, unlisted }): Spec => ({
        is: 'record',
        fields,
        optional,
        nullable,
        coerce,
        unlisted,
      }),
    ),
  either: fc
    .record({
      items: fc.oneof(
        fc.array(leaf, { minLength: 1, maxLength: 3 }),
        fc.array(tie('spec'), { minLength: 2, maxLength: 3 }),
        fc.array(tie('record'), { minLength: 2, maxLength: 3 }),
      ),
      own,
    })
    .map(
      ({ items, own: { optional, nullable } }): Spec => ({
        is: 'either',
        items: items.map((one): Spec => ({ ...one, optional: false, fallback: undefined, readOnly: undefined })),
        optional,
        nullable,
      }),
    ),
  spec: fc.oneof(
    { maxDepth: 4, depthSize: 'small' },
    { weight: 6, arbitrary: leaf },
    {
      weight: 4,
      arbitrary: fc
        .record({
          item: tie('spec'),
          own,
          length: fc.constantFrom(undefined, undefined, undefined, [1, 2] as const),
          distinct: fc.constantFrom(false, false, true, ...names),
        })
        .map(
          ({ item, own: { optional, nullable }, length, distinct }): Spec => ({
            is: 'list',
            items: [{ ...item, optional: false, fallback: undefined, readOnly: undefined }],
            optional,
            nullable,
            ...(length ? { length } : {}),
            ...(distinct === true || (typeof distinct === 'string' && Object.hasOwn(item.fields ?? {}, distinct))
              ? { distinct }
              : {}),
          }),
        ),
    },
    { weight: 5, arbitrary: tie('record') },
    {
      weight: 1,
      arbitrary: fc
        .record({ item: tie('spec'), own })
        .map(
          ({ item, own: { optional, nullable } }): Spec => ({
            is: 'table',
            items: [{ ...item, optional: false, fallback: undefined, readOnly: undefined }],
            optional,
            nullable,
          }),
        ),
    },
    {
      weight: 1,
      arbitrary: fc
        .record({ items: fc.array(tie('spec'), { minLength: 1, maxLength: 2 }), own })
        .map(
          ({ items, own: { optional, nullable } }): Spec => ({
            is: 'tuple',
            items: items.map((one): Spec => ({ ...one, optional: false, fallback: undefined, readOnly: undefined })),
            optional,
            nullable,
          }),
        ),
    },
    {
      weight: 1,
      arbitrary: fc
        .record({ x: tie('fields'), y: tie('fields'), own })
        .map(
          ({ x: { k: _, ...x }, y: { k: __, ...y }, own: { optional, nullable } }): Spec => ({
            is: 'tagged',
            tag: 'k',
            fields: { x: { is: 'record', fields: x }, y: { is: 'record', fields: y } },
            optional,
            nullable,
          }),
        ),
    },
    { weight: 3, arbitrary: tie('either') },
    {
      weight: 1,
      arbitrary: tie('record').map(
        (item): Spec => ({
          is: 'later',
          items: [{ ...item, optional: false, nullable: false }],
          optional: item.optional,
          nullable: item.nullable,
        }),
      ),
    },
  ),
}))

interface Addressed {
  readonly address: string
  readonly measure: string
  readonly scalar: string | undefined
  readonly spec: Spec
}
const below = (start: string, step: string) =>
  step.startsWith('[') || step.startsWith('{') || start === '' ? start + step : `${start}.${step}`
/** What may be named below a declaration. Where branches differ in measure, nothing is compared. */
export function addressesIn(spec: Spec, start: string): readonly Addressed[] {
  const items = spec.items ?? []
  const inside = (): readonly Addressed[] => {
    switch (spec.is) {
      case 'scalar':
      case 'tuple':
        return []
      case 'list':
        return addressesIn(items[0] as Spec, below(start, '[]'))
      case 'table':
        return addressesIn(items[0] as Spec, below(start, '{}'))
      case 'record':
        return Object.entries(spec.fields ?? {}).flatMap(([name, one]) => addressesIn(one, below(start, name)))
      case 'tagged':
        return Object.values(spec.fields ?? {}).flatMap((branch) =>
          Object.entries(branch.fields ?? {}).flatMap(([name, one]) => addressesIn(one, below(start, name))),
        )
      case 'either':
      case 'later':
        return items.flatMap((one) => addressesIn(one, start).filter(({ address }) => address !== start))
    }
  }
  const forms = (one: Spec): readonly Spec[] =>
    one.is === 'either' || one.is === 'later' ? (one.items ?? []).flatMap(forms) : [one]
  const measures = new Set(
    forms(spec).map((form) =>
      form.is === 'scalar'
        ? (scalars[form.scalar as string] as { measure: string }).measure
        : form.is === 'list' || form.is === 'tuple'
          ? 'list'
          : 'object',
    ),
  )
  const [measure = 'own', ...more] = measures
  const scalar = forms(spec).find((form) => form.is === 'scalar')?.scalar
  // What a tuple or a record has at places of its own, the address of a list or a table beside it leads to as well.
  const has = (...kinds: readonly string[]) => forms(spec).some((form) => kinds.includes(form.is))
  const besides = [
    ...(has('tuple') ? [below(start, '[]')] : []),
    ...(has('record', 'tagged') ? [below(start, '{}')] : []),
  ]
  return [
    ...(start === '' ? [] : [{ address: start, measure: more.length > 0 ? 'own' : measure, scalar, spec }]),
    ...inside().map((one) => (besides.includes(one.address) ? { ...one, measure: 'own', scalar: undefined } : one)),
  ]
}
/** Of addresses that stand several times, those of one measure alone. */
export function oneEach(all: readonly Addressed[]): readonly Addressed[] {
  const known = new Map<string, Addressed>()
  for (const one of all) {
    const before = known.get(one.address)
    known.set(
      one.address,
      before && before.measure !== one.measure ? { ...one, measure: 'own', scalar: undefined } : one,
    )
  }
  return [...known.values()]
}

const ordered = ['number', 'instant', 'text', 'day', 'time', 'duration']
const spans = ['instant', 'day', 'time', 'duration']

const listOf = (address: string) => address.slice(0, address.lastIndexOf('[]') + 2)

/** A rule, or nothing where these addresses allow none of the kind that was drawn. */
export function ruleFrom(from: Stream, all: readonly Addressed[]): RuleSpec | undefined {
  const simple = all.filter(({ measure }) => measure !== 'own' && measure !== 'mixed')
  const like = (one: Addressed, list = simple) => list.filter(({ measure }) => measure === one.measure)
  const inLists = simple.filter(({ address }) => address.includes('[]'))
  const cond = (depth: number): Cond => {
    const on = from.of(['sent', 'is', 'above', 'in', 'below', 'suits', 'not', 'all', 'any', 'not'] as const)
    if ((on === 'not' || on === 'all' || on === 'any') && depth > 0)
      return { on, of: on === 'not' ? [cond(depth - 1)] : [cond(depth - 1), cond(depth - 1)] }
    const one = from.of(
      (on === 'above' || on === 'below' ? simple.filter(({ measure }) => ordered.includes(measure)) : simple).filter(
        ({ scalar }) => scalar !== undefined,
      ),
    )
    if (!one || on === 'sent' || on === 'not' || on === 'all' || on === 'any')
      return { on: 'sent', address: from.of(all).address }
    if (on === 'suits')
      return {
        on,
        address: one.address,
        field: {
          is: 'scalar',
          scalar: from.of(
            scalarNames.filter((name) => scalars[name]?.measure === one.measure && !tidied.includes(name)),
          ),
        },
      }
    const given = (): Given =>
      from.take(3) === 0
        ? { other: from.of(like(one)).address }
        : { of: one.scalar as string, json: from.of(jsonOf(one.scalar as string)) }
    return { on, address: one.address, values: on === 'in' ? [given(), given()] : [given()] }
  }
  /** What elements of a list are grouped by: what lies in them, or in what they lie in; or these themselves. */
  const groups = (list: string): { by?: readonly string[] } => {
    if (from.take(3) > 0) return {}
    const isAround = (one: string) => list.startsWith(listOf(one))
    const shared = simple.filter(({ address, scalar }) => scalar !== undefined && isAround(address))
    const lists = [...list.matchAll(/\[\]/g)].map(({ index }) => list.slice(0, index + 2)).filter((one) => one !== list)
    const by = [
      ...(shared.length > 0 && from.take(4) > 0 ? [from.of(shared).address] : []),
      ...(lists.length > 0 && from.take(3) === 0 ? [from.of(lists)] : []),
    ]
    return by.length > 0 ? { by } : {}
  }
  const make = (): RuleSpec | undefined => {
    const rule = from.of([
      'ascending',
      'needed',
      'sumWithin',
      'sums',
      'distinct',
      'equal',
      'differ',
      'absent',
      'inOrder',
      'apart',
      'gap',
      'fits',
      'check',
      'together',
      'exactlyOne',
      'atLeastOne',
      'atMostOne',
      'fits',
      'among',
      'among',
      'among',
      'acyclic',
      'openAt',
      'openAt',
      'openAt',
      'count',
      'count',
      'count',
      'count',
    ])
    const isOrdered = ({ measure }: Addressed) => ordered.includes(measure)
    switch (rule) {
      case 'ascending':
      case 'equal':
      case 'differ': {
        const a = from.of(rule === 'ascending' ? simple.filter(isOrdered) : simple)
        return (
          a && {
            rule,
            addresses: [a.address, from.of(like(a)).address],
            ...(rule === 'ascending' && from.take(2) ? { options: { orEqual: true } } : {}),
          }
        )
      }
      case 'gap': {
        const far =
          from.of(all.filter(({ address, measure }) => measure === 'number' && !/\[\]|\{\}/.test(address)))?.address ??
          1
        const a = from.of(simple.filter(({ measure }) => measure === 'number' || spans.includes(measure)))
        return (
          a && {
            rule,
            addresses: [a.address, from.of(like(a)).address],
            options: from.of<{ readonly [limit: string]: unknown }>(
              a.measure === 'number'
                ? [{ atLeast: 1, atMost: 5 }, { exactly: 1 }, { atMost: far }]
                : [{ atMost: '1h' }, { exactly: '1h' }, { atLeast: far, in: 'h' }],
            ),
          }
        )
      }
      case 'among': {
        const tables = all.filter(({ spec }) => spec.is === 'table')
        const texts = simple.filter(({ measure }) => measure === 'text')
        if (tables.length > 0 && texts.length > 0 && from.take(3) === 0)
          return { rule, addresses: [from.of(texts).address, from.of(tables).address], options: { areNames: true } }
        const a = from.of(simple.filter(({ address }) => /\[\]|\{\}/.test(address)).concat(simple))
        const many = a && like(a).filter(({ address }) => /\[\]|\{\}/.test(address))
        return many && many.length > 0 ? { rule, addresses: [a.address, from.of(many).address] } : undefined
      }
      case 'openAt': {
        const a = from.of(simple.filter(({ measure }) => measure === 'instant'))
        return a && { rule, addresses: [a.address] }
      }
      case 'acyclic': {
        const a = from.of(inLists)
        const to = a && like(a, inLists).filter(({ address }) => address.startsWith(listOf(a.address)))
        return a && { rule, addresses: [a.address, from.of(to as readonly Addressed[]).address] }
      }
      case 'needed':
      case 'absent':
        return { rule, addresses: [from.of(all).address], when: cond(2) }
      case 'sums': {
        const sums = all.filter(({ measure }) => measure === 'number')
        const term = () => from.of([from.of(sums)?.address, [from.of(sums)?.address, from.of(sums)?.address]]) as string
        const [a, limit] = [from.of(sums), from.of([3, 6, from.of(sums)?.address ?? 3])]
        return (
          a && {
            rule: 'sumWithin',
            addresses: [a.address],
            options: {
              more: [term()],
              ...from.of([{ atMost: limit }, { atLeast: limit }, { exactly: limit }]),
              ...(from.take(2) ? { less: [term()] } : {}),
              ...(from.take(3) === 0 ? { rounded: from.of([0, 1, 2]) } : {}),
            },
          }
        )
      }
      case 'sumWithin': {
        const sums = all.filter(({ measure }) => measure === 'number')
        const [a, times] = [from.of(sums), from.of(sums)]
        const limit = () => from.of([3, 6, from.of(sums)?.address ?? 3])
        return (
          a && {
            rule,
            addresses: [a.address],
            options: {
              ...(from.take(2) ? { atMost: limit() } : { exactly: limit() }),
              ...(from.take(2) ? { atLeast: limit() } : {}),
              ...(times && from.take(3) === 0 ? { times: times.address } : {}),
              ...groups(listOf(a.address)),
            },
          }
        )
      }
      case 'count': {
        const many = all.filter(({ address }) => /\[\]|\{\}/.test(address)).map(({ address }) => address)
        const address = from.of([...many, ...many.filter((one) => one.includes('[]')).map(listOf)])
        const counts = all.filter(({ address, measure }) => measure === 'number' && !/\[\]|\{\}/.test(address))
        const limit = () => from.of([1, 2, 1, from.of(counts)?.address ?? 1])
        if (!address) return undefined
        return {
          rule,
          addresses: [address],
          options: {
            ...from.of([{ atMost: limit() }, { atLeast: limit() }, { exactly: limit() }]),
            ...(from.take(3) > 0 ? { where: cond(1) } : {}),
            ...groups(listOf(address)),
          },
        }
      }
      case 'inOrder':
      case 'distinct':
      case 'apart': {
        const a = from.of(rule === 'distinct' ? inLists : inLists.filter(isOrdered))
        if (!a) return undefined
        const list = listOf(a.address)
        const beside = from.of(
          (rule === 'apart' ? like(a, inLists) : inLists).filter(({ address }) => listOf(address) === list),
        )
        return {
          rule,
          addresses:
            rule === 'inOrder' || (rule === 'distinct' && from.take(2))
              ? [a.address]
              : [a.address, (beside as Addressed).address],
          options: {
            ...groups(list),
            ...(rule !== 'apart'
              ? {}
              : from.of<object>([
                  {},
                  { openEnded: true },
                  { seamless: true },
                  ...(a.measure === 'number'
                    ? [{ lastIncluded: true }, { rest: 1 }]
                    : ['day', 'instant'].includes(a.measure)
                      ? [{ rest: '1h' }]
                      : []),
                ])),
          },
        }
      }
      case 'fits': {
        const a = from.of(all)
        if (a.spec.is === 'record') {
          const { fields = {} } = a.spec
          const field: Spec = {
            is: 'record',
            fields: Object.fromEntries(
              Object.entries(fields).flatMap(([name, one]) =>
                one.is === 'scalar' && from.take(2) && !tidied.includes(one.scalar as string)
                  ? [[name, { is: 'scalar', scalar: one.scalar, optional: from.take(2) === 0 } as Spec]]
                  : [],
              ),
            ),
          }
          return { rule, addresses: [a.address], field: { ...field, rules: innerRules(from, field) } }
        }
        if (a.scalar === undefined || a.measure === 'own' || a.measure === 'mixed') return undefined
        return {
          rule,
          addresses: [a.address],
          field: {
            is: 'scalar',
            scalar: from.of(
              scalarNames.filter((name) => scalars[name]?.measure === a.measure && !tidied.includes(name)),
            ),
          },
          ...(from.take(3) ? {} : { options: { code: 'unfit' } }),
        }
      }
      case 'check':
        return { rule, addresses: [from.of(all).address, from.of(all).address] }
      default:
        return { rule, addresses: [...new Set([from.of(all).address, from.of(all).address, from.of(all).address])] }
    }
  }
  if (all.length === 0) return undefined
  const made = make()
  const during = from.of([0, 0, 1, 1, 2])
  const one =
    made && from.take(4) === 0
      ? {
          ...made,
          addresses: made.addresses.map((own) =>
            from.take(2) ? own.replace('[]', from.of(['[0]', '[1]', '[-1]', '[-2]'])) : own,
          ),
        }
      : made
  return one && during > 0 ? { ...one, during: Array.from({ length: during }, () => cond(1)) } : one
}
function innerRules(from: Stream, spec: Spec): readonly RuleSpec[] {
  const rule = from.take(2) ? ruleFrom(from, oneEach(addressesIn(spec, ''))) : undefined
  return rule ? [rule] : []
}
/** Gives some of the records rules of their own. */
export function withRules(spec: Spec, from: Stream): Spec {
  const items = spec.items ? { items: spec.items.map((one) => withRules(one, from)) } : {}
  const fields = spec.fields
    ? { fields: Object.fromEntries(Object.entries(spec.fields).map(([name, one]) => [name, withRules(one, from)])) }
    : {}
  const inner = { ...spec, ...items, ...fields }
  const rules = spec.is === 'record' && from.take(3) === 0 ? innerRules(from, inner) : []
  return rules.length > 0 ? { ...inner, rules } : inner
}

/** A value that comes close to what a declaration takes. */
export function valueFrom(from: Stream, spec: Spec, source: Source): unknown {
  const [odd, isText] = [from.take(61), source === 'text']
  if (odd === 1) return isText ? from.of(atoms.filter((one) => typeof one === 'string')) : from.of(atoms)
  if (odd === 2 && !isText) return null
  if (odd === 3) return isText ? ['x', 'y'] : [from.of(atoms)]
  if (odd === 4) return { a: isText ? 'x' : from.of(atoms) }
  const items = spec.items ?? []
  const object = (fields: { readonly [name: string]: Spec }): { [name: string]: unknown } => {
    const made: { [name: string]: unknown } = {}
    for (const [name, one] of Object.entries(fields)) if (from.take(9) !== 1) made[name] = valueFrom(from, one, source)
    if (from.take(40) === 1) made[from.of([...names, 'other'])] = isText ? 'x' : from.of(atoms)
    return made
  }
  switch (spec.is) {
    case 'scalar':
      return from.of(
        isText
          ? textsOf(spec.scalar as string)
          : source === 'coerced' && from.take(2)
            ? [...textsOf(spec.scalar as string), ...jsonOf(spec.scalar as string)]
            : jsonOf(spec.scalar as string),
      )
    case 'list': {
      const all = Array.from({ length: from.take(4) }, () => valueFrom(from, items[0] as Spec, source))
      return isText && all.length === 1 && from.take(2) ? all[0] : all
    }
    case 'tuple':
      return items.map((one) => valueFrom(from, one, source))
    case 'table':
      return object(Object.fromEntries(names.slice(0, from.take(4)).map((name) => [name, items[0] as Spec])))
    case 'record':
      return object(spec.fields ?? {})
    case 'tagged': {
      const tag = from.of(['x', 'y', 'x', 'y', 'z'])
      return { ...object(spec.fields?.[tag]?.fields ?? {}), [spec.tag as string]: tag }
    }
    case 'either':
      return valueFrom(from, from.of(items), source)
    case 'later':
      return valueFrom(from, items[0] as Spec, source)
  }
}

export const numbers = (length: number) => fc.array(fc.nat({ max: 5039 }), { minLength: length, maxLength: length })
/** In text there are no lists of lists, no records in lists, and what has names is sent by names. */
export const flat = fc
  .dictionary(
    fc.constantFrom(...names),
    fc.oneof(
      leaf,
      leaf.map(
        (item): Spec => ({
          is: 'list',
          items: [{ ...item, optional: false, nullable: false, fallback: undefined, readOnly: undefined }],
          optional: item.optional,
        }),
      ),
      fc
        .array(leaf, { minLength: 1, maxLength: 3 })
        .map(
          (items): Spec => ({
            is: 'either',
            items: items.map((one) => ({ ...one, optional: false, fallback: undefined, readOnly: undefined })),
            optional: true,
          }),
        ),
    ),
    { maxKeys: 3, noNullPrototype: true },
  )
  .map((fields): Spec => ({ is: 'record', fields }))

/** An endpoint, and requests to it. */
export const cases = fc.record({
  body: fc.dictionary(fc.constantFrom(...names), spec, { minKeys: 1, maxKeys: 4, noNullPrototype: true }),
  query: flat,
  header: flat,
  rules: numbers(97),
  count: fc.nat({ max: 4 }),
  sent: fc.array(numbers(67), { minLength: 6, maxLength: 6 }),
  source: fc.constantFrom<Source>('json', 'json', 'coerced', 'text'),
  unlisted: fc.constantFrom('refuse' as const, 'refuse' as const, 'drop' as const, 'keep' as const),
})
export type Case = typeof cases extends fc.Arbitrary<infer C> ? C : never

const isOf = (kinds: readonly string[], spec: Spec): boolean =>
  kinds.includes(spec.is) ||
  [...(spec.items ?? []), ...Object.values(spec.fields ?? {})].some((one) => isOf(kinds, one))
/** How often each was drawn, and what came of it. */
export const counted: { [what: string]: number } = {}
export const count = (what: string, by = 1) => {
  counted[what] = (counted[what] ?? 0) + by
}

/** How often the code of an endpoint asks the interpreter, in a request that is right. */
function handedOver(
  declared: Endpoint,
  sent: { readonly query: object; readonly header: object; readonly body: unknown },
): number {
  const node = endpointNode(declared)
  const { read, judge, placed } = compiled(node, node.bodies[0])
  let asked = 0
  const plain = startRun()
  const interpret: typeof plain.interpreter.interpret = (...given) => {
    asked++
    return plain.interpreter.interpret(...given)
  }
  const run = { ...plain, interpreter: { ...plain.interpreter, interpret } }
  let path = run.walk
  // For a scalar alone a path is put there.
  Object.defineProperty(run, 'path', {
    get: () => path,
    set(given) {
      asked++
      path = given
    },
  })
  const { query, header, body } = copy(sent) as { query: object; header: object; body: unknown }
  const input = read({}, query, header, undefined, body, run, body !== undefined, true)
  const note = () => {
    asked++
    return undefined
  }
  const interpreter = { judge: note, judgePlaced: note, judgeUnplaced: note, wrong: {} as never }
  const about = { accept: undefined, isKnown: false, isLost: false, isTextBody: false, found: 0, barred: undefined }
  judge?.({
    placed,
    root: placed.root,
    sent: { path: {}, query, header, cookie: {}, body },
    input,
    run,
    ...about,
    interpreter,
  })
  return asked
}

const engines = ['compiled', 'interpreted', 'prepared'] as const

/** An endpoint that is declared of a case, and the requests to it. */
export function drawn({ body, query, header, rules: ruled, count: most, sent, source, unlisted }: Case) {
  const from = stream(ruled)
  const parts: Asked['parts'] = { query, header, body: withRules({ is: 'record', fields: body }, from) }
  const all = oneEach(Object.entries(parts).flatMap(([part, one]) => addressesIn(one, part)))
  const rules = Array.from({ length: most }, () => ruleFrom(from, all)).flatMap((one) => one ?? [])
  const requests = sent.map((one) => {
    const values = stream(one)
    const request = {
      query: valueFrom(values, { ...query, unlisted: 'drop' }, 'text'),
      header: valueFrom(values, header, 'text'),
      body: valueFrom(values, parts.body as Spec, source),
    }
    return { query: isPart(request.query), header: isPart(request.header), body: request.body }
  })
  const declare = (engine: (typeof engines)[number] = 'compiled') => {
    const fields = (part: string) => (fieldOf(parts[part] as Spec) as { fields: never }).fields
    const put = endpoint('PUT /', {
      query: fields('query'),
      header: fields('header'),
      body: fieldOf(parts.body as Spec) as never,
      rules: ((on: never) => rules.map((rule) => ruleOf(rule, on))) as never,
      coerce: source === 'coerced',
      unlisted: { body: unlisted },
    } as never)
    const app = intake({
      engine: engine === 'interpreted' ? engine : 'compiled',
      limits: { errors: 10_000 } as never,
      endpoints: { put },
    })
    return engine === 'prepared' ? withCode(app) : app
  }
  return { parts, rules, requests, declare }
}

/** Some declarations make no sense. */
export function sensible<T>(declare: () => T): T | undefined {
  try {
    return declare()
  } catch (error) {
    if (!(error instanceof DeclarationError)) throw error
    count('no declaration')
    return undefined
  }
}

/** What differs between the engines and the oracle: nothing, or the case and what each says. */
export function differences(one: Case): readonly string[] {
  const { source, unlisted } = one
  const { parts, rules, requests, declare } = drawn(one)
  const puts = sensible(() => engines.map((engine) => declare(engine).endpoints.put as Endpoint))
  if (!puts) return []
  for (const rule of [...rules, ...rulesIn(parts.body as Spec)]) {
    count(rule.during ? `${rule.rule} while` : rule.rule)
    if (rule.addresses.some((one) => /\[-?\d/.test(one))) count('by index')
  }
  return requests.flatMap((given) => {
    const expected = decided(() => {
      const { input, errors } = oracle({ parts, rules, sent: given, source, unlisted })
      return show(errors ? { errors } : { input })
    })
    if (expected === undefined) return []
    const said = puts.map((put) => {
      const verdict = judgeParts(put as never, copy(given), { text: source === 'text' }) as unknown as {
        outcome: string
        errors: { address: string; code: string }[]
        input: { [part: string]: unknown }
      }
      const { query: q, header: h, body: b } = verdict.input ?? {}
      return show(
        verdict.outcome === 'accepted'
          ? { input: { query: q, header: h, body: b } }
          : { errors: verdict.errors.map(({ address, code }) => `${address} ${code}`).sort() },
      )
    })
    count(expected.startsWith('{"input') ? 'accepted' : 'rejected')
    if (expected.startsWith('{"input') && source !== 'text')
      count('handed over', handedOver(puts[0] as Endpoint, given))
    if (said.every((one) => one === expected)) return []
    const shown = engines.map((engine, index) => `\n  ${engine} ${said[index] === expected ? 'the same' : said[index]}`)
    return [`${JSON.stringify({ source, unlisted, parts, rules, given })}\n  oracle ${expected}${shown.join('')}`]
  })
}
export function decided(judge: () => string): string | undefined {
  try {
    return judge()
  } catch (error) {
    if (error instanceof Undecided) return undefined
    throw error
  }
}
const rulesIn = (spec: Spec): readonly RuleSpec[] => [
  ...(spec.rules ?? []),
  ...[...(spec.items ?? []), ...Object.values(spec.fields ?? {})].flatMap(rulesIn),
]
const isPart = (value: unknown) => (typeof value === 'object' && value !== null && !Array.isArray(value) ? value : {})
export const kindsIn = isOf

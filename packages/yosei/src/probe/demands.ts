/**
 * What a declaration demands of a value, one by one, each with a value that breaks exactly that. One list for each kind;
 * what holds for every kind stands behind them.
 */
import { compareDecimals, isMultiple, sumOf } from '../grammar/numbers.js'
import { readDeclaredDay, readMoment, writeDuration, writeInstant, writeTimeOfDay } from '../grammar/times.js'
import { childrenOf } from '../kinds/brought.js'
import type { Kind, Kinds, Node } from '../kinds/kind.js'
import { totalReaders } from '../kinds/read-as.js'
import { resolve } from '../kinds/resolve.js'
import type { Source } from '../kinds/run.js'
import { anywhere, sentShape } from '../kinds/shape.js'
import { weekdayOf } from '../kinds/weekdays.js'
import { type Path, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { put } from '../terms/own.js'
import { readSize, readSpan } from '../terms/units.js'
import { makeFile } from './files.js'
import { elementsOf, entriesOf, isNeeded, type Making, make, mostElements, readOnlyOf, shortest } from './make.js'
import { day, dayText, momentText } from './moments.js'
import { greatest, least, Unmakeable } from './pick.js'
import { mismatchOf, textOfLength, unformedOf } from './texts.js'

const noneBeyond = 'no number lies beyond it'

/** Stands for a value that is not sent. */
export const gone = /* @__PURE__ */ Symbol('gone')

export interface Demand {
  readonly code: Code | (string & {})
  /** What of the declaration it is: `max 10`. */
  readonly what: string
  /** If it is reported, from where the value stands. */
  readonly below?: Path
  /** Whether it is reported at a name that came. */
  readonly isNamed?: boolean
  /** Whether it is of the kind itself, and is not declared: a value of that kind does not break it. */
  readonly isOfKind?: boolean
  /** Whether only the judgement can tell that a value breaks it. */
  readonly isOpen?: boolean
  /**
   * Values that break it, some of them made from one that does not.
   *
   * @throws Unmakeable if there is none.
   */
  broken(right: () => unknown, making: Making): readonly unknown[]
  /** A value right at the limit. */
  met?(making: Making): unknown
}

/** What is around a value. */
export interface Around {
  readonly source: Source
  readonly unlisted: 'refuse' | 'drop' | 'keep'
}

type Lister<N> = (node: N, around: Around) => readonly Demand[]

/** What is broken by a value of its own. */
const one = (code: Demand['code'], what: string, broken: (making: Making) => unknown): Demand => ({
  code,
  what,
  broken: (_, making) => [broken(making)],
})
/** What is broken by a change of a value that is right. */
const changed = <T>(code: Demand['code'], what: string, broken: (right: T, making: Making) => unknown): Demand => ({
  code,
  what,
  broken: (right, making) => [broken(right() as T, making)],
})
const atLeast = (node: Node) => (making: Making) => make(node, { ...making, pick: least })
const atMost = (node: Node) => (making: Making) => make(node, { ...making, pick: greatest })

/** Something that it is not. */
const otherType = (what: string, value: unknown) => ofKind('wrong_type', what, () => value)
const ofKind = (...given: Parameters<typeof one>): Demand => ({ ...one(...given), isOfKind: true })
const inJson = ({ source }: Around, ...demands: Demand[]) => (source === 'text' ? [] : demands)
/** Those of a limit that is given. */
const given = <T>(limit: T | undefined, of: (limit: T) => readonly Demand[]): readonly Demand[] =>
  limit === undefined ? [] : of(limit)

const shownMoment = (limit: unknown) => (limit instanceof Date ? writeInstant(limit) : String(limit))

const listers: { readonly [K in Kind]: Lister<Kinds[K]> } = {
  text: (node, around) => {
    const { length, pattern, format } = node
    const [low = 0, high = Number.POSITIVE_INFINITY] = length ?? []
    return [
      ...inJson(around, otherType('text', 17)),
      ...(low > shortest(node, around.source)
        ? [{ ...one('too_short', `length from ${low}`, () => textOfLength(node, low - 1)), met: atLeast(node) }]
        : []),
      ...(high < Number.POSITIVE_INFINITY
        ? [{ ...one('too_long', `length to ${high}`, () => textOfLength(node, high + 1)), met: atMost(node) }]
        : []),
      ...given(pattern, (pattern) => [
        changed('wrong_pattern', `pattern ${pattern}`, (right) => mismatchOf(node, pattern, String(right))),
      ]),
      ...given(format, (format) => [one('wrong_format', `format ${format}`, () => unformedOf({ ...node, format }))]),
    ]
  },
  integer: (node, around) => [
    otherType('whole number', 'x'),
    ...inJson(around, { ...changed('not_whole', 'whole number', (right) => Number(right) + 0.5), isOfKind: true }),
    ...limitsOf(node, (value, by) => {
      const found = value + by * (node.step ?? 1)
      // It is out of range, and nothing else.
      if (!Number.isSafeInteger(found)) throw new Unmakeable(noneBeyond)
      return found
    }),
    ...given(node.step === 1 ? undefined : node.step, (step) => [
      changed('not_a_step', `step ${step}`, (right) => otherThan(Number(right), [1, -1], step, node)),
    ]),
  ],
  number: (node, around) => [
    otherType('number', 'x'),
    ...limitsOf(node, (value, by) => {
      const step = node.step ?? (node.whole ? 1 : 0.001 * Math.max(1, Math.abs(value)))
      // Beside a number so large that the next one is the same, it is many steps.
      const steps = Math.max(1, Math.ceil((Math.abs(value) * 1e-9) / step))
      const found = Number((value + by * step * steps).toPrecision(12))
      if (!Number.isFinite(found)) throw new Unmakeable(noneBeyond)
      return found
    }),
    ...(node.whole
      ? inJson(around, {
          ...changed('not_whole', 'whole number', (right) => halfBeside(Number(right))),
          isOfKind: true,
        })
      : []),
    ...given(node.step, (step) => {
      const beside = node.whole ? 1 : step / 4
      return [changed('not_a_step', `step ${step}`, (right) => otherThan(Number(right), [beside, -beside], step, node))]
    }),
  ],
  bigInteger: (node) => [
    otherType('whole number', 'x'),
    ...limitsOf(node, (value, by) => String(value + BigInt(by) * (node.step ?? 1n))),
    ...given(node.step, (step) =>
      step === 1n ? [] : [changed<string>('not_a_step', `step ${step}`, (right) => String(BigInt(right) + 1n))],
    ),
  ],
  decimal: (node) => {
    const { min, max, digits, scale } = node
    const unit = `0.${'0'.repeat(Math.max(0, (scale ?? 2) - 1))}1`
    const step = scale === 0 ? '1' : unit
    return [
      otherType('decimal', 'x'),
      ...given(min, (min) => [
        { ...one('below_min', `min ${min}`, () => sumOf([min, `-${step}`])), met: atLeast(node) },
      ]),
      ...given(max, (max) => [{ ...one('above_max', `max ${max}`, () => sumOf([max, step])), met: atMost(node) }]),
      ...given(digits, (digits) => [
        one('too_many_digits', `digits ${digits}`, () => {
          const many = '1'.repeat(digits + 1)
          return min !== undefined && compareDecimals(many, min) < 0 ? `0.${many}` : many
        }),
      ]),
      ...given(scale, (scale) => [
        changed('too_many_digits', `scale ${scale}`, (right) => {
          const [whole = '0'] = String(right).split('.')
          return `${whole}.${'0'.repeat(scale)}1`
        }),
      ]),
    ]
  },
  flag: () => [otherType('true or false', 'maybe')],
  instant: (node, around) => {
    const { from, until, zone } = node
    return [
      ...inJson(around, otherType('instant', 17)),
      ofKind('wrong_format', 'instant', () => 'tomorrow'),
      ofKind('unreal_date', 'instant', () => '2031-02-30T00:00:00Z'),
      ...given(from, (from) => [
        {
          ...one('too_early', `from ${shownMoment(from)}`, ({ now }) => momentText(readMoment(from, now, zone) - 1000)),
          met: atLeast(node),
        },
      ]),
      ...given(until, (until) => [
        {
          ...one('too_late', `until ${shownMoment(until)}`, ({ now }) =>
            momentText(readMoment(until, now, zone) + 1000),
          ),
          met: atMost(node),
        },
      ]),
    ]
  },
  day: (node, around) => {
    const { from, until, zone, weekdays: days } = node
    const dayBy = (limit: string, now: number, by: number) =>
      dayText(Date.parse(readDeclaredDay(limit, now, zone) as string) + by * day)
    return [
      ...inJson(around, otherType('day', 17)),
      ofKind('wrong_format', 'day', () => 'tomorrow'),
      ofKind('unreal_date', 'day', () => '2031-02-30'),
      ...given(from, (from) => [
        { ...one('too_early', `from ${from}`, ({ now }) => dayBy(from, now, -1)), met: atLeast(node) },
      ]),
      ...given(until, (until) => [
        { ...one('too_late', `until ${until}`, ({ now }) => dayBy(until, now, 1)), met: atMost(node) },
      ]),
      ...given(days && days.length < 7 ? days : undefined, (days) => [
        changed('not_a_choice', `weekdays ${days.join(' ')}`, (right) => {
          const other = [1, -1, 2, -2, 3, -3, 4].map((by) => Date.parse(String(right)) + by * day)
          const time = other.find((one) => !days.includes(weekdayOf(one))) ?? Number.NaN
          return dayText(time)
        }),
      ]),
    ]
  },
  timeOfDay: (node, around) => {
    const { from, until } = node
    const timeBy = (limit: string, by: number) => {
      const time = new Date(Date.parse(`1970-01-01T${writeTimeOfDay(limit)}Z`) + by)
      if (time.getTime() < 0 || time.getTime() >= day) throw new Unmakeable('a day has no time beyond it')
      return time.toISOString().slice(11, 19)
    }
    return [
      ...inJson(around, otherType('time of day', 17)),
      ofKind('wrong_format', 'time of day', () => 'noon'),
      ...given(from, (from) => [
        { ...one('too_early', `from ${from}`, () => timeBy(from, -1000)), met: atLeast(node) },
      ]),
      ...given(until, (until) => [
        { ...one('too_late', `until ${until}`, () => timeBy(until, 1000)), met: atMost(node) },
      ]),
    ]
  },
  duration: (node, around) => {
    const { min, max } = node
    return [
      ...inJson(around, otherType('duration', 17)),
      ofKind('wrong_format', 'duration', () => 'an hour'),
      ...given(min, (min) =>
        readSpan(min) === 0
          ? []
          : [
              {
                ...one('below_min', `min ${min}`, () => writeDuration(Math.max(0, readSpan(min) - 1000))),
                met: atLeast(node),
              },
            ],
      ),
      ...given(max, (max) => [
        { ...one('above_max', `max ${max}`, () => writeDuration(readSpan(max) + 1000)), met: atMost(node) },
      ]),
    ]
  },
  choice: ({ values }, around) => [
    ...inJson(around, otherType('choice', true)),
    one('not_a_choice', `one of ${values.join(', ')}`, () =>
      values.some((value) => typeof value === 'string') ? `not ${values.at(-1)}`.slice(0, 20) : 987_654_321,
    ),
  ],
  constant: ({ value }, around) => [
    ...(typeof value === 'string' || around.source === 'text'
      ? [one('not_constant', `constant ${value}`, () => `not ${value}`)]
      : typeof value === 'number'
        ? [one('not_constant', `constant ${value}`, () => value + 1)]
        : typeof value === 'boolean'
          ? [one('not_constant', `constant ${value}`, () => !value)]
          : [{ ...otherType('constant null', 'x'), ...(around.source === 'json' ? {} : { code: 'not_constant' }) }]),
  ],
  list: (node, around) => {
    const [low = 0, high = Number.POSITIVE_INFINITY] = node.length ?? []
    const by = typeof node.distinct === 'string' ? node.distinct : undefined
    // Many that are the same would seldom be let pass by rules.
    const counted = (count: number) => (making: Making) =>
      elementsOf(node, sane(count), count > 1 ? { ...making, pick: making.random } : making)
    // Without elements, nothing is sent if there is nothing but text.
    const isLow = low > (around.source === 'text' ? 1 : 0)
    const repeated = (making: Making) => {
      if (high < 2) throw new Unmakeable('it does not allow two elements')
      const [first, second, ...rest] = elementsOf(node, Math.max(low, 2), making) as [unknown, unknown, ...unknown[]]
      const shape = sentShape(node.item)
      if (by !== undefined && shape.kind === 'record' && valueAt(first, [by]) === undefined)
        put(first as { [name: string]: unknown }, by, make(shape.fields[by] as Node, making))
      const same = by === undefined ? first : { ...(second as object), [by]: valueAt(first, [by]) }
      return [first, same, ...rest]
    }
    return [
      ...inJson(around, otherType('list', 17)),
      ...(isLow ? [{ ...one('too_few', `length from ${low}`, counted(low - 1)), met: counted(low) }] : []),
      ...(high < Number.POSITIVE_INFINITY
        ? [{ ...one('too_many', `length to ${high}`, (making) => tooMany(node, high, making)), met: counted(high) }]
        : []),
      ...(node.distinct
        ? [
            {
              ...one('repeated', 'distinct', repeated),
              below: [1, ...(by === undefined ? [] : [by])],
              isOpen: isReadOtherwise(node.item),
            },
          ]
        : []),
    ]
  },
  tuple: ({ items }, around) => [
    ...inJson(
      around,
      otherType('list', 17),
      changed<unknown[]>('too_few', `${items.length} elements`, (right) => right.slice(1)),
    ),
    changed<unknown[]>('too_many', `${items.length} elements`, (right) => [...right, right.at(-1) ?? 'x']),
  ],
  record: ({ unlisted }, around) => [
    ...inJson(around, otherType('record', 17)),
    ...((unlisted ?? around.unlisted) === 'refuse'
      ? [
          {
            ...changed<object>('unlisted', 'no other names', (right) => ({ ...right, [stray]: 'x' })),
            below: [stray],
            isNamed: true,
            isOfKind: true,
          },
        ]
      : []),
  ],
  table: (node, around) => {
    const [low = 0, high = Number.POSITIVE_INFINITY] = node.length ?? []
    const counted = (count: number) => (making: Making) => entriesOf(node, sane(count), making)
    const isLow = low > (around.source === 'text' ? 1 : 0)
    const { names } = node
    const misnamed = names && misnamedOf(names)
    return [
      ...inJson(around, otherType('table', 17)),
      ...(isLow ? [{ ...one('too_few', `length from ${low}`, counted(low - 1)), met: counted(low) }] : []),
      ...(high < Number.POSITIVE_INFINITY
        ? [{ ...one('too_many', `length to ${high}`, counted(high + 1)), met: counted(high) }]
        : []),
      ...(names && misnamed !== undefined
        ? [
            {
              ...changed<object>('wrong_pattern', `names ${names}`, (right, making) => {
                const entries: { [name: string]: unknown } = {}
                const known = Object.entries(right)
                // One of them goes, so that there are not too many.
                for (const [name, value] of known.slice(1)) put(entries, name, value)
                put(entries, misnamed, known[0]?.[1] ?? make(node.value, making))
                return entries
              }),
              below: [misnamed],
              isNamed: true,
            },
          ]
        : []),
    ]
  },
  tagged: ({ tag, branches }, around) => [
    ...inJson(around, otherType('record', 17)),
    {
      ...changed<{ readonly [name: string]: unknown }>('missing', `tag ${tag}`, ({ [tag]: _, ...rest }) => rest),
      below: [tag],
    },
    {
      ...changed<object>('not_a_choice', `tag ${Object.keys(branches).join(', ')}`, (right) => ({
        ...right,
        [tag]: 'no-such-branch',
      })),
      below: [tag],
    },
  ],
  either: ({ branches }) => [
    {
      code: 'no_branch',
      what: `one of ${branches.length} branches`,
      isOpen: true,
      broken: () => [true, 17.5, 'no such branch', [], {}],
    },
  ],
  later: () => [],
  readAs: ({ base, read, code }) =>
    totalReaders.has(read)
      ? []
      : [
          {
            code,
            what: 'its own reader',
            isOpen: true,
            broken: (_, making) =>
              [least, greatest, making.random, making.random, making.random].map((pick) =>
                make(base, { ...making, pick }),
              ),
          },
        ],
  anything: () => [],
  schema: () => [
    { code: 'no_branch', what: 'its JSON Schema', isOpen: true, broken: () => [true, 17.5, 'no such value', [], {}] },
  ],
  file: ({ bytes, types }) => [
    ...given(bytes, (bytes) => [
      {
        ...one('too_large', `bytes ${bytes}`, () => makeFile(types?.[0] ?? 'image/png', readSize(bytes) + 1)),
        met: (making: Making) =>
          make({ kind: 'file', need: 'required', bytes, ...(types ? { types } : {}) }, { ...making, pick: greatest }),
      },
    ]),
    ...given(types, (types) =>
      types.includes('*/*')
        ? []
        : [one('wrong_media_type', `types ${types.join(', ')}`, () => makeFile('font/none', 1))],
    ),
  ],
}

const holdsOtherwise = anywhere((node) => node.kind === 'readAs' || Boolean(node.readOnly))
/** Whether something there is not read as it is sent: what is the same is not known then. */
export const isReadOtherwise = (node: Node): boolean => holdsOtherwise(node, childrenOf)

/** An undeclared name. */
export const stray = 'unlistedName'
/** One more than is made may break a limit. */
const sane = (count: number): number => {
  if (count > mostElements + 1) throw new Unmakeable(`lists of more than ${mostElements} elements are not made`)
  return count
}

function tooMany(node: Kinds['list'], high: number, making: Making): unknown[] {
  try {
    return elementsOf(node, sane(high + 1), making)
  } catch (error) {
    if (!(error instanceof Unmakeable) || high > mostElements) throw error
    // There are not so many different ones: some are there again, which is reported as well.
    return Array.from({ length: high + 1 }, () => make(node.item, making))
  }
}

function misnamedOf(names: RegExp): string | undefined {
  return ['!', '0', 'a', 'A', '-', ' '].map((one) => one.repeat(3)).find((name) => !names.test(name))
}

/** One of the values beside another that is no multiple of a step, and within the limits. */
function otherThan(
  right: number,
  by: readonly number[],
  step: number,
  { min, max, above, below }: Kinds['number'] | Kinds['integer'],
): number {
  const found = by
    .map((one) => Number((right + one).toPrecision(15)))
    .find(
      (one) =>
        !isMultiple(one, step) &&
        !(one < (min ?? one) || one > (max ?? one) || one <= (above ?? one - 1) || one >= (below ?? one + 1)),
    )
  if (found === undefined) throw new Unmakeable('its limits let no other value be')
  return found
}

type Limited<T> = Node & { min?: T; max?: T; above?: T; below?: T }
function limitsOf<T extends number | bigint>(
  node: Limited<T>,
  beside: (limit: T, by: -1 | 1) => unknown,
): readonly Demand[] {
  return [
    ...given(node.min, (min) => [{ ...one('below_min', `min ${min}`, () => beside(min, -1)), met: atLeast(node) }]),
    ...given(node.above, (above) => [{ ...one('below_min', `above ${above}`, () => sent(above)), met: atLeast(node) }]),
    ...given(node.max, (max) => [{ ...one('above_max', `max ${max}`, () => beside(max, 1)), met: atMost(node) }]),
    ...given(node.below, (below) => [{ ...one('above_max', `below ${below}`, () => sent(below)), met: atMost(node) }]),
  ]
}
const sent = (limit: number | bigint) => (typeof limit === 'bigint' ? String(limit) : limit)

/** What a node demands of a value that is there. */
export const demandsOn = (node: Node, around: Around): readonly Demand[] =>
  (listers[node.kind] as Lister<Node>)(node, around)

/** The same as if a client could set it. */
const sendable = (node: Node): Node =>
  (node.kind === 'readAs'
    ? { ...node, readOnly: false, base: sendable(node.base) }
    : { ...node, readOnly: false }) as Node

/** What is demanded of what a record has under a name: that it is there, and no null; or that it is not sent. */
export function demandsOfNeed(field: Node, shape: Node, around: Around): readonly Demand[] {
  if (readOnlyOf(field) === true)
    return [one('read_only', 'set by the server', (making) => make(sendable(field), making))]
  if (readOnlyOf(field)) return []
  return isNeeded(field)
    ? [one('missing', 'required', () => gone), ...demandsOfNull(field, shape, around)]
    : demandsOfNull(field, shape, around)
}

/** A number with a fraction, as near as there is one. */
const halfBeside = (value: number) => Math.max(-(2 ** 51), Math.min(2 ** 51, value)) + 0.5

const isNullable = (node: Node): boolean =>
  Boolean(node.nullable) ||
  (node.kind === 'later' ? isNullable(resolve(node)) : node.kind === 'readAs' && isNullable(node.base))

/** A null is refused if nothing says that it may be. */
export function demandsOfNull(field: Node, shape: Node, around: Around): readonly Demand[] {
  const mayBeNull =
    readOnlyOf(field) ||
    isNullable(field) ||
    shape.kind === 'anything' ||
    (shape.kind === 'schema' && shape.judge.holds(null)) ||
    shape.kind === 'either' ||
    (shape.kind === 'constant' && shape.value === null)
  return around.source === 'text' || mayBeNull ? [] : [ofKind('null_not_allowed', 'no null', () => null)]
}

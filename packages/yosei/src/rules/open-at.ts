/** A moment lies in the hours at which something is open. Blames the moment. */
import { openWords } from '../catalogue/english.js'
import { dayLength, readInstant, readTimeOfDay } from '../grammar/times.js'
import { instantFrom, isZone, isZoneName, offsetAt } from '../grammar/zones.js'
import { isSecret } from '../kinds/locate.js'
import { Phrase, type Speech } from '../kinds/phrase.js'
import { inWeek, weekdayWords, weekLength } from '../kinds/weekdays.js'
import { type Address, type Path, parseAddress, valueAt } from '../terms/address.js'
import { mistake } from '../terms/mistake.js'
import { anAddress, anything, isPlain, merged, required } from '../terms/option-types.js'
import { type Weekday, weekdays } from '../terms/weekdays.js'
import { declaredAt, faultOf, isNone, pathOf, strays } from './input.js'
import { measuresAt, toldAt } from './measure.js'
import {
  type Blame,
  blameOptions,
  type LooseBlame,
  type Rule,
  type RuleInService,
  type RuleOf,
  worded,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    openAt: OpenAt
  }
}
/** Times of opening and closing: `['08:00', '12:00']`. One that closes before it opens closes on the next day. */
type Span = readonly [opens: string, closes: string]
type Hours = { readonly [D in Weekday]?: readonly Span[] | undefined }
interface Open<A extends string> {
  /** The time zone of the hours: its IANA name, or the address of one. */
  zone: A | (string & {})
  /** When it is open, by day: `mon`, `tue` and so on. On the others it is closed. */
  hours: Hours
}
export interface OpenAtMaker<T> {
  /**
   * A moment lies in the hours of its weekday, by the clocks of a time zone. At a closing time it is closed. Hours over
   * midnight belong to the day on which they begin. Blames the moment.
   *
   * @example
   * on.openAt('body.pickup', { zone: 'Europe/Vienna', hours: { mon: [['08:00', '12:00'], ['13:00', '18:00']] } })
   */
  openAt(address: Address<T>, open: Open<Address<T>>, options?: Blame<T>): Rule
}
export interface OpenAt extends Rule {
  readonly rule: 'openAt'
  readonly address: string
  readonly zone: string
  readonly hours: Hours
}

/** Milliseconds of a week from Monday on: from, and until. */
type Opening = readonly [from: number, until: number]

const openings = /* @__PURE__ */ new WeakMap<Hours, readonly Opening[]>()
function openingsOf(hours: Hours): readonly Opening[] {
  const known = openings.get(hours)
  if (known) return known
  const made = weekdays
    .flatMap((day, index) => (hours[day] ?? []).map((span) => openingOf(span, index * dayLength)))
    .sort(([a], [b]) => a - b)
  openings.set(hours, made)
  return made
}
function openingOf([opens, closes]: Span, day: number): Opening {
  const [from, until] = [timeOf(opens), timeOf(closes)]
  return [day + from, day + until + (until > from ? 0 : dayLength)]
}
/** A time of a day in milliseconds; `24:00` is the end of the day. NaN if it is none. */
const timeOf = (text: string): number => (text === '24:00' ? dayLength : Number(readTimeOfDay(text)))

export const openTest =
  ({ hours }: OpenAt) =>
  (moment: Date, at: string) =>
    isZoneName(at) && isOpen(moment.getTime(), at, hours)

function isOpen(moment: number, zone: string, hours: Hours): boolean {
  const at = inWeek(moment + offsetAt(zone, moment))
  return openingsOf(hours).some(
    ([from, until]) => (at >= from && at < until) || (at + weekLength >= from && at + weekLength < until),
  )
}

/** The next moment at which it opens; `undefined` if it never does. */
function nextOpening(moment: number, zone: string, hours: Hours): number | undefined {
  const local = moment + offsetAt(zone, moment)
  const start = local - inWeek(local)
  for (const weeks of [0, 1])
    for (const [from] of openingsOf(hours)) {
      // A time that the clocks pass over does not come; they open when it has.
      const opens = start + weeks * weekLength + from
      const next = instantFrom(zone, opens)
      if (next > moment && isOpen(next, zone, hours)) return next < lastWritten ? next : undefined
    }
  return undefined
}

/** The last that a date-time can say, by the clocks of any zone (RFC 3339: four digits of a year). */
const lastWritten = 253_402_300_799_999 - dayLength

/** An instant by the clocks of a zone: `2031-03-03T08:00:00+01:00`. */
function writeIn(zone: string, moment: number): string {
  const offset = offsetAt(zone, moment)
  // Once clocks were apart by seconds, which no offset of a date-time says.
  const minutes = offset % 60_000 === 0 ? offset / 60_000 : 0
  const local = new Date(moment + minutes * 60_000).toISOString().replace(/(?:\.000)?Z$/, '')
  if (minutes === 0) return `${local}Z`
  const two = (count: number) => String(Math.trunc(count)).padStart(2, '0')
  return `${local}${minutes < 0 ? '-' : '+'}${two(Math.abs(minutes) / 60)}:${two(Math.abs(minutes) % 60)}`
}

/** The hours in words: `Monday 08:00–12:00, 13:00–18:00; Saturday 22:00–02:00`. */
class OpenHours extends Phrase {
  constructor(readonly hours: Hours) {
    super()
  }
  words({ say }: Speech): string {
    return weekdays
      .flatMap((day) => {
        const spans = this.hours[day] ?? []
        return spans.length === 0
          ? []
          : [`${say(`weekday.${day}`, {})} ${spans.map(([from, until]) => `${from}–${until}`).join(', ')}`]
      })
      .join('; ')
  }
}

const isAddress = ({ zone }: Pick<OpenAt, 'zone'>): boolean => !isZone(zone)

/** The rule `openAt`, for `use`. */
export const openAt: RuleOf<OpenAt> = {
  words: /* @__PURE__ */ merged(openWords, weekdayWords),
  make(
    address: string,
    { zone, hours }: Open<string>,
    { code = 'closed_then', blames = [address], ...rest }: LooseBlame = {},
  ) {
    if (isAddress({ zone }) && String(zone).includes('/'))
      mistake('rule openAt', `"${zone}" is no time zone`, 'Give an IANA name such as Europe/Vienna')
    const reads = [address, ...(isAddress({ zone }) ? [zone] : [])]
    return { rule: 'openAt', code, address, zone, hours, reads, blames, ...worded(rest) }
  },
  each: ({ address }) => [address],
  waits: ({ reads }) => reads,
  elements: () => [],
  judgesKnown: false,
  derives: false,
  names: () => [],
  judge(rule, { root, input, scope }) {
    const at = (address: string) => pathOf(address, scope)
    const value = valueAt(input, at(rule.address))
    const zone = isAddress(rule) ? valueAt(input, at(rule.zone)) : rule.zone
    if (isNone(value) || isNone(zone)) return []
    if (typeof zone !== 'string' || !isZoneName(zone))
      return [faultOf(rule, at(rule.zone), { code: 'wrong_format', variant: 'time-zone' })]
    const moment = value instanceof Date ? value.getTime() : readInstant(String(value))
    if (typeof moment !== 'number')
      return [faultOf(rule, at(rule.address), { code: 'wrong_format', variant: 'instant' })]
    if (isOpen(moment, zone, rule.hours)) return []
    const next = nextOpening(moment, zone, rule.hours)
    const isHidden = rule.reads.some((address) => isSecret(root, at(address)))
    const rest = {
      saidAs: 'closed_then',
      ...(isHidden || next === undefined ? {} : { variant: 'next', about: { next: writeIn(zone, next) } }),
      ...(isHidden ? {} : { sent: toldAt(root, declaredAt(rule.address, scope), value) }),
    }
    return rule.blames.map((address) => faultOf(rule, at(address), rest))
  },
}

export const openAtInService: RuleInService<OpenAt> = {
  takes: [
    anAddress,
    {
      what: 'a zone and hours',
      example: "{ zone: 'Europe/Vienna', hours: { mon: [['08:00', '12:00']] } }",
      takes: isPlain,
      options: { zone: required(anAddress), hours: required(anything) },
    },
    blameOptions,
  ],
  compares: false,
  mistake(rule, measuresOf) {
    const { address, zone, hours } = rule
    const measures = measuresOf(address)
    if (measures.length > 0 && !measures.includes('instant') && !measures.includes('own'))
      return [`${address} is a ${measures.join(' or ')}, and no moment`, 'Name an instant']
    if (isAddress(rule) && strays(parseAddress(zone) as Path, parseAddress(address) as Path))
      return [`${zone} is no one zone`, 'Name a field of the same element, or outside of lists']
    if (!isPlain(hours)) return ['hours is no object', "Write { mon: [['08:00', '12:00']] }"]
    const stray = Object.keys(hours).find((day) => !weekdays.includes(day as Weekday))
    if (stray !== undefined) return [`"${stray}" is no day`, `Name the days ${weekdays.join(', ')}`]
    const spans = Object.values(hours).flatMap((one: unknown) =>
      one === undefined ? [] : Array.isArray(one) ? one : [one],
    )
    const isSpan = (span: unknown) =>
      Array.isArray(span) &&
      span.length === 2 &&
      span.every((time) => typeof time === 'string' && !Number.isNaN(timeOf(time)))
    const odd = spans.find(
      (span) => !isSpan(span) || (span as Span)[0] === (span as Span)[1] || (span as Span)[0] === '24:00',
    )
    if (odd !== undefined)
      return [
        `${JSON.stringify(odd)} are no hours`,
        "Write them as ['08:00', '12:00'], and a whole day as ['00:00', '24:00']",
      ]
    if (spans.length === 0) return ['it is never open', "Give hours: { mon: [['08:00', '12:00']] }"]
    return undefined
  },
  code(rule, terms) {
    const { writer } = terms
    const { address, zone } = rule
    const value = terms.value(address)
    const far = isAddress(rule) ? terms.value(zone) : JSON.stringify(zone)
    if (value === undefined || far === undefined || terms.sort(address) !== 'instant') return undefined
    if (isAddress(rule) && measuresAt(terms.root, terms.path(zone)).join() !== 'text') return undefined
    return `${value} == null || ${far} == null || ${writer.make(openTest, rule)}(${value}, ${far})`
  },
  sentence: ({ hours, blames }) => ({
    code: 'rule',
    variant: 'openAt',
    about: { limit: new OpenHours(hours) },
    at: blames,
  }),
}

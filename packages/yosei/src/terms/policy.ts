/** Settings that an endpoint has of its own, or shares with its group and its intake; the nearest wins. */

import type { Size, Span } from './declared.js'
import { mistake } from './mistake.js'
import {
  aCount,
  aFlag,
  aMode,
  anObject,
  aSize,
  aSpan,
  checkOptions,
  eitherOf,
  type Options,
  type OptionType,
  oneOf,
  withOptions,
} from './option-types.js'
import { given } from './own.js'
import type { Part } from './parts.js'
import type { Statuses } from './statuses.js'
import { readSize, readSpan } from './units.js'

/** How large and how slow a request may be. Each is looked at as early as the request shows it. */
export interface Limits {
  /** Of the request target; 8kB by default. Beyond: 414. */
  uri?: Size | undefined
  /** Of all header fields together; 16kB by default. Beyond: 431. */
  headers?: Size | undefined
  /** Of the body, also after a content coding was undone; 1MB by default. Beyond: 413. */
  body?: Size | undefined
  /** Pairs in the query; 200 by default. */
  queryValues?: number | undefined
  /** Parts of a form with files, whatever they carry; 1,000 by default. Beyond: 413. */
  parts?: number | undefined
  /** The nesting of recursive declarations and of `anything()`; 64 by default. */
  depth?: number | undefined
  /** Errors that a verdict lists; 50 by default, the rest counted. */
  errors?: number | undefined
  /** Time for the body to come; 30s by default. Beyond: 408. */
  receive?: Span | undefined
  /** Time for the handler; 60s by default. Beyond: 503, and its signal fires. */
  handle?: Span | undefined
}

/** Settings of an endpoint, a group or an intake. The nearest setting wins. */
export interface Policy {
  /** Limits of size, time and number. */
  limits?: Limits | undefined
  /** Statuses, by kind of failure or by code. */
  statuses?: Statuses | undefined
  /** Whether text is parsed inside JSON too. */
  coerce?: boolean | undefined
  /** What happens to names that are not declared. `refuse` by default. */
  unlisted?: { readonly query?: 'refuse' | 'drop'; readonly body?: 'refuse' | 'drop' | 'keep' } | undefined
  /**
   * Refuse JSON in which an object has a name twice (RFC 7493, section 2.3), which a parser takes without a word. Costs
   * a scan.
   */
  uniqueNames?: boolean | undefined
  /**
   * `observe` lets a gate pass what it would reject, journalled as such; for a part, what is wrong in that part alone.
   */
  mode?: Mode | { readonly [P in Part]?: Mode } | undefined
  /** Whether requests are taken of those that `identify` does not know as well. */
  open?: boolean | undefined
  /** `false` keeps rejections out of the journal; `{ query: false }` those of a part. Failures are always logged. */
  journalled?: boolean | { readonly [P in Part]?: boolean } | undefined
}

/** Whether a gate enforces, or only observes. */
export type Mode = 'enforce' | 'observe'

const limitOptions: Options<Limits> = {
  uri: aSize,
  headers: aSize,
  body: aSize,
  queryValues: aCount,
  parts: aCount,
  depth: aCount,
  errors: aCount,
  receive: aSpan,
  handle: aSpan,
}
const byPart = /* @__NO_SIDE_EFFECTS__ */ (one: OptionType): Options<{ readonly [P in Part]?: unknown }> => ({
  path: one,
  query: one,
  header: one,
  cookie: one,
  body: one,
})
/** What a policy takes. */
export const policyOptions: Options<Policy> = {
  limits: withOptions(limitOptions),
  statuses: anObject('{ body: 400 }'),
  coerce: aFlag,
  unlisted: withOptions({ query: oneOf('refuse', 'drop'), body: oneOf('refuse', 'drop', 'keep') }),
  uniqueNames: aFlag,
  mode: eitherOf(aMode, withOptions(byPart(aMode))),
  open: aFlag,
  journalled: eitherOf(aFlag, withOptions(byPart(aFlag))),
}

/** Limits as numbers: bytes, counts, milliseconds. */
export type SettledLimits = { readonly [K in keyof Limits]-?: number }

const defaults: { readonly [K in keyof Limits]-?: Limits[K] & {} } = {
  uri: '8kB',
  headers: '16kB',
  body: '1MB',
  queryValues: 200,
  parts: 1000,
  depth: 64,
  errors: 50,
  receive: '30s',
  handle: '60s',
}

const settled = new WeakMap<Limits, SettledLimits>()

/** @throws DeclarationError if a limit is none. */
export const checkLimits = (where: string, limits: Limits = unlimited): void =>
  checkOptions(limits, limitOptions, 'limits', (what, mend, option) =>
    mistake(`${where}, limits`, what, mend, { option }),
  )

export function settleLimits(limits: Limits = unlimited): SettledLimits {
  const known = settled.get(limits) ?? settle(limits)
  settled.set(limits, known)
  return known
}

const unlimited: Limits = {}

function settle(limits: Limits): SettledLimits {
  const entries = Object.entries({ ...defaults, ...given(limits) } as typeof defaults).map(([name, limit]) => {
    const isTime = name === 'receive' || name === 'handle'
    return [name, isTime ? readSpan(String(limit)) : readSize(limit)] as const
  })
  return Object.freeze(Object.fromEntries(entries)) as SettledLimits
}

/** The settings of both, one by one; the nearer win. */
export function nearest(near: Policy, far: Policy): Policy {
  const both = { ...given(far), ...given(near) }
  for (const name of ['limits', 'statuses', 'unlisted'] as const)
    if (near[name] && far[name]) Object.assign(both, { [name]: { ...given(far[name]), ...given(near[name]) } })
  if (near.statuses?.codes && far.statuses?.codes)
    Object.assign(both.statuses ?? {}, { codes: { ...far.statuses.codes, ...near.statuses.codes } })
  return both
}

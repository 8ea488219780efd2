/** What a probe is: a request that has to be accepted, or rejected somewhere; or what could not be made into one. */
import type { Message } from '../read/message.js'

export interface About {
  /** The endpoint's name in its intake. */
  readonly endpoint: string
  /** What of the declaration it tries: `max 10`. */
  readonly what: string
}
interface Made extends About {
  readonly message: Message<string | null>
  /** Who is asking, where the intake asks that: as `judge` takes it, and as JSON. */
  readonly who?: { readonly read: unknown; readonly json: unknown }
  /** The clock by which it was made. */
  readonly now: Date
}
/** A request that must be accepted: what asks the outside may still be pending. */
export interface GoodProbe extends Made {
  readonly outcome: 'accepted'
}
/** A request that must be rejected, with this code at this address among its errors. */
export interface BadProbe extends Made {
  readonly outcome: 'rejected'
  readonly address: string
  readonly code: string
}
/** What could not be probed, and why. */
export interface Unprobed extends About {
  readonly outcome: 'unprobed'
  readonly address: string
  readonly code: string
  readonly because: string
}
export type Probe = GoodProbe | BadProbe | Unprobed

export interface ProbeOptions {
  /** The clock of the judgements; 2031-03-01T12:00:00Z by default, so that all is the same each time. */
  readonly now?: Date | undefined
  /** Probes of a seed are the same each time; 1 by default. */
  readonly seed?: number | undefined
  /** Probe this endpoint alone. */
  readonly endpoint?: string | undefined
  /** Accepted requests: where a function of the declaration says what it takes, their values are taken. */
  readonly samples?: readonly Message[] | undefined
}

export const usualNow = /* @__PURE__ */ new Date('2031-03-01T12:00:00Z')

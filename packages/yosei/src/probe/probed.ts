/** What a probe is: a request that has to be accepted, or rejected somewhere; or what could not be made into one. */
import type { Message } from '../read/message.js'

export interface About {
  /** The endpoint's name in its intake. */
  readonly endpoint: string
  /** What of the declaration it tries: `max 10`. */
  readonly what: string
}
interface Made extends About {
  /** The request. */
  readonly message: Message<string | null>
  /** The caller as JSON, if the intake identifies callers. */
  readonly who?: { readonly read: unknown; readonly json: unknown }
  /** The clock by which it was made. */
  readonly now: Date
}
/** A request that must be accepted: what asks the outside may still be pending. */
export interface GoodProbe extends Made {
  /** It must be accepted. */
  readonly outcome: 'accepted'
}
/** A request that must be rejected, with this code at this address among its errors. */
export interface BadProbe extends Made {
  /** It must be rejected. */
  readonly outcome: 'rejected'
  /** The address of the error that must come. */
  readonly address: string
  /** The code of the error that must come. */
  readonly code: string
}
/** What could not be probed, and why. */
export interface Unprobed extends About {
  /** No request was found that breaks only this limit. */
  readonly outcome: 'unprobed'
  /** The address of the limit. */
  readonly address: string
  /** The code of the limit. */
  readonly code: string
  /** The reason. */
  readonly because: string
}
/** A request that must be accepted or rejected, or a limit that could not be probed. */
export type Probe = GoodProbe | BadProbe | Unprobed

/** Options of `probesOf`. */
export interface ProbeOptions {
  /** The clock of the judgements; 2031-03-01T12:00:00Z by default, so that all is the same each time. */
  readonly now?: Date | undefined
  /** Probes of a seed are the same each time; 1 by default. */
  readonly seed?: number | undefined
  /** Probe this endpoint alone. */
  readonly endpoint?: string | undefined
  /** Accepted requests. Their values are used if a function of the declaration decides what is valid. */
  readonly samples?: readonly Message[] | undefined
}

export const usualNow = /* @__PURE__ */ new Date('2031-03-01T12:00:00Z')

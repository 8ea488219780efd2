/** What metrics and traces are made of: the pipeline says how each request goes. */

/** The stages whose time is measured. */
export type TimedStage = 'identify' | 'receive' | 'attest' | 'check' | 'turn' | 'lookups' | 'handle'
/** How the wait for a turn ended, and what happened to a turn that is held. */
export type TurnEnd = 'taken' | 'busy' | 'full' | 'failed'
export type TurnEvent = 'renewed' | 'lost'

/** Hears how requests go: `telemetry()` of `yosei/telemetry` makes one. */
export interface Telemetry {
  /** A request has come. */
  begin(method: string, headers: readonly (readonly [name: string, value: string])[]): RequestTelemetry
}

/** Hears how one request goes. */
export interface RequestTelemetry {
  /** Does work inside the trace of the request. */
  within<T>(work: () => T): T
  /** Its endpoint is known. */
  matched(endpoint: string, route: string): void
  /** A stage begins; the one before has ended. */
  stage(stage: TimedStage): void
  /** A lookup is asked; gives what is called with what it came to. */
  lookup(name: string): (outcome: 'found' | 'refused' | 'failed') => void
  /** It waits for a turn; gives what is called when that has ended. */
  waits(turn: string): (end: TurnEnd) => void
  turn(turn: string, event: TurnEvent): void
  /** It gives a turn back, after so many seconds. */
  held(turn: string, seconds: number): void
  rejected(rejection: RejectionTelemetry): void
  /** It was answered, or its client has gone before. */
  end(status: number | undefined): void
}

/** A rejection, a failure, or what would have been one. */
export interface RejectionTelemetry {
  readonly outcome: 'rejected' | 'observed' | 'failed' | 'unjudged' | 'gone'
  readonly stage: string
  readonly status: number
  readonly codes: readonly string[]
  /** The addresses of the errors, as they are declared: `[]` for each element, `{}` for each name of a table. */
  addresses(): readonly string[]
  readonly cause: unknown
}

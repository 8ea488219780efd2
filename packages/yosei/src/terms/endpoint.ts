/** Endpoints and intakes as their users see them: frozen data that carries its types. */

/** One request schema. `I` is the accepted input, `S` what a client sends, `F` what its lookups find. */
export interface Endpoint<I = unknown, S = unknown, F = unknown> {
  readonly method: string
  readonly template: string
  readonly '~input'?: I
  readonly '~sent'?: S
  readonly '~found'?: F
}
/** The typed input of an endpoint's accepted requests. */
export type Accepted<E> = E extends Endpoint<infer I, unknown, unknown> ? I : never
/** What a client sends to an endpoint. */
export type Sent<E> = E extends Endpoint<unknown, infer S, unknown> ? S : never
/** What an endpoint's lookups find, by their names. */
export type FoundBy<E> = E extends Endpoint<unknown, unknown, infer F> ? F : never

export type Endpoints = { readonly [name: string]: Endpoint }
/** The endpoints of a service with what they share; the default export of an intake module. */
export interface Intake<E extends Endpoints = Endpoints> {
  readonly endpoints: E
}

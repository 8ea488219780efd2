/** Endpoints and intakes as their users see them: frozen data that carries its types. */
import type { Present } from './address.js'

/** What an endpoint is to the compiler. */
export interface EndpointTypes {
  /** The accepted input. */
  readonly input: unknown
  /** What a client sends. */
  readonly sent: unknown
  /** What the lookups find, by their names. */
  readonly found: unknown
  /** The addresses that lookups fill. */
  readonly filled: string
  /** What the lookups ask. */
  readonly services: unknown
  /** The caller. */
  readonly who: unknown
  /** Whether it attests its messages. */
  readonly attested: boolean
  /** The body as it came, if it is kept. */
  readonly bytes: Uint8Array | undefined
  /** What a success gives, as JSON. */
  readonly gives: unknown
}
/** One request schema. */
export interface Endpoint<T extends EndpointTypes = EndpointTypes> {
  /** The method. */
  readonly method: string
  /** The path template. */
  readonly template: string
  /** Types only. */
  readonly '~types'?: T
}
export type TypesOf<E> = E extends Endpoint<infer T> ? T : never
/** The typed input of an endpoint's accepted requests, as its handler gets it. */
export type Accepted<E> = Present<TypesOf<E>['input'], TypesOf<E>['filled']>
/** The body as it came, if an endpoint keeps it. */
export type BytesOf<E> = TypesOf<E>['bytes']
/** What a client sends to an endpoint. */
export type Sent<E> = TypesOf<E>['sent']
/** What an endpoint's lookups find, by their names. */
export type FoundBy<E> = TypesOf<E>['found']
/** The caller, as the endpoint declares it. */
export type WhoOf<E> = TypesOf<E>['who']

/** The type of a success of an endpoint, as JSON, if it declares `gives`. */
export type Gives<E> = TypesOf<E>['gives']

/** Endpoints by name. */
export type Endpoints = { readonly [name: string]: Endpoint }
/** The endpoints of a service with what they share; the default export of an intake module. */
export interface Intake<E extends Endpoints = Endpoints, Services = unknown> {
  /** The endpoints, by name, with what they share. */
  readonly endpoints: E
  /** A type only. */
  readonly '~services'?: Services
}

/** All of them at once. */
export type All<U> = (U extends unknown ? (one: U) => void : never) extends (all: infer I) => void ? I : never
/** What all lookups of some endpoints ask. */
export type ServicesOf<E extends Endpoints> =
  All<{ [N in keyof E]: { all: TypesOf<E[N]>['services'] } }[keyof E]> extends { all: infer S } ? S : unknown

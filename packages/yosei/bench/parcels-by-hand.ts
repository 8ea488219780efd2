/** What the handlers of examples/parcels get and give, with types that are written by hand: `bench:types` compares. */
import type { Caller, Depot, Parcel } from './outside.ts'

export type EntityTag = { readonly tag: string; readonly weak: boolean }
type Tags = '*' | readonly EntityTag[]
interface Refusal {
  readonly status: number
  readonly code: string
  readonly message: string
  readonly at?: string
  readonly headers?: Readonly<Record<string, string>>
}
export interface Refused {
  readonly refusals: readonly Refusal[]
}
export interface Given<T> {
  readonly given: T
}
export type Journal = { readonly write: (event: object) => void }
export interface TurnStore {
  take(key: string, lease: number): Promise<number | undefined>
  release(key: string): Promise<void>
}
export declare function refuse(one: Refusal): Refused
export declare function give<T>(
  body: T,
  more?: { status?: number; headers?: Readonly<Record<string, string>> },
): Given<T>
export declare function memoryTurns(): TurnStore
export declare function redisTurns(redis: object): TurnStore

interface Declared {
  depot: string
  to: { name: string; street: string; postcode: string; country: string; phone?: string }
  service: 'standard' | 'express'
  grams: number
  size: [number, number, number]
  insured?: string
}
type Piece<E> =
  | { readonly outcome: 'accepted'; readonly value: E }
  | { readonly outcome: 'rejected'; readonly errors: object[] }
interface Context {
  readonly who: Caller
  pieces<E, T>(all: readonly Piece<E>[], make: (one: E) => Promise<T | Refused>): Promise<Response>
}
interface Found {
  readonly found: { readonly parcel: Parcel }
}
interface ById {
  readonly path: { readonly id: string }
}
type Week = { [D in 'mon' | 'tue' | 'wed' | 'thu' | 'fri' | 'sat' | 'sun']?: [string, string][] }
type ByteRange = { first: number; last?: number } | { suffix: number }
type Result = unknown

export interface Handlers {
  createParcels(input: { body: { parcels: Piece<Declared & { reference: string }>[] } }, context: Context): Result
  listParcels(
    input: {
      query: {
        state?: ('announced' | 'collected' | 'delivered' | 'lost')[]
        from?: string
        until?: string
        sort: readonly { readonly key: 'id' | 'state'; readonly descending: boolean }[]
        limit: number
      }
    },
    context: Context,
  ): Result
  showParcel(input: ById & { header: { 'if-none-match'?: Tags } }, context: Context & Found): Result
  changeParcel(input: ById & { header: { 'if-match': Tags }; body: Declared }, context: Context & Found): Result
  cancelParcel(input: ById & { header: { 'if-match'?: Tags } }, context: Context & Found): Result
  declareCustoms(
    input: ById & {
      body: {
        kind: 'goods' | 'gift' | 'documents'
        currency: string
        lines: { sku: string; count: number; value: string; origin: string }[]
        postage?: string
        total: string
      }
    },
    context: Context & Found,
  ): Result
  bookPickup(
    input: { body: { depot: string; at: Date; parcels: string[] } },
    context: Context & { readonly found: { readonly depot: Depot } },
  ): Result
  sendLabel(
    input: ById & {
      body: {
        label: { name: string; type: string; bytes: number; bytesNow(): Promise<Uint8Array> }
        sheet: { copies: number; paper: 'A6' | 'A5'; remark: string }
      }
    },
    context: Context & Found,
  ): Result
  showLabel(input: ById & { header: { range?: readonly ByteRange[] } }, context: Context & Found): Result
  track(
    input: {
      body: {
        parcel: string
        at: Date
        event: 'collected' | 'sorted' | 'out' | 'delivered'
        place?: [number, number]
      }[]
    },
    context: Context,
  ): Result
  carrierHook(
    input: {
      header: { signature?: string; 'signed-at'?: string }
      body:
        | { event: 'delivered'; parcel: string; signedBy: string; at: Date }
        | { event: 'lost'; parcel: string; lastSeen: Date }
    },
    context: Context,
  ): Result
  setDepot(
    input: { path: { depot: string }; body: { zone: string; hours: Week; most: number; area?: [number, number][] } },
    context: Context,
  ): Result
  setTariff(
    input: {
      path: { service: 'standard' | 'express' }
      body: { from: string; steps: { aboveGrams: number; upToGrams?: number; price: string }[]; isDefault: boolean }
    },
    context: Context,
  ): Result
  listDepots(input: { query: { bbox?: [number, number, number, number] } }, context: Context): Result
}

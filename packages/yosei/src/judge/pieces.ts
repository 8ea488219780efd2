/** Lists of which each element is judged alone: what becomes of those that are wrong, if others are right. */
import { piecewiseAt } from '../declare/place.js'
import type { Fault } from '../kinds/run.js'
import { type Path, valueAt } from '../terms/address.js'
import type { Catalogue } from '../terms/hooks.js'
import { put } from '../terms/own.js'
import type { Parts } from '../terms/parts.js'
import type { Statuses } from '../terms/statuses.js'
import type { Piece, RejectedPiece } from '../terms/verdict.js'
import { type Wording, wordingOf } from '../words/messages.js'
import type { CheckInput } from './check.js'
import { firstOf } from './statuses.js'
import { fieldError } from './verdict.js'

/** Takes the elements that are right, if others are wrong. `words` says in which language their errors are. */
export const takingPieces =
  (words: () => Catalogue): CheckInput['takePieces'] =>
  ({ endpoint, body }, input, run) => {
    const at = run.beyond > 0 ? undefined : piecewiseAt(endpoint, body).path
    const pieces = at && Pieces.of(at, input, run.faults, endpoint.statuses, () => wordingOf(words()))
    if (!pieces) return
    run.pieces = pieces
    run.faults = []
    pieces.putInto(input)
  }

/** What has no elements to reject alone, a form or a value, is accepted as a whole: with all of its elements. */
export const wrapPieces: CheckInput['takePieces'] = ({ endpoint, body }, input, { faults }) => {
  const at = piecewiseAt(endpoint, body).path
  const list = at && faults.length === 0 ? valueAt(input, at) : undefined
  if (Array.isArray(list)) putAt(input, at as Path, list.map(accepted))
}
const accepted = (value: unknown): Piece<unknown> => ({ outcome: 'accepted', value })
const putAt = (input: Parts, at: Path, pieces: readonly unknown[]) =>
  put(valueAt(input, at.slice(0, -1)) as { [name: string]: unknown }, at.at(-1) as string, pieces)

/** The pieces of one request. */
export class Pieces {
  readonly #at: Path
  /** The elements as they were read: what was rejected is not there. */
  readonly #values: unknown[]
  readonly #faults: Map<number, Fault[]>
  readonly #made: Piece<unknown>[]
  readonly #statuses: Statuses | undefined
  readonly #wording: () => Wording
  #indices: ReadonlyMap<Piece<unknown>, number> | undefined

  private constructor(at: Path, list: readonly unknown[], statuses: Statuses | undefined, wording: () => Wording) {
    this.#at = at
    this.#values = [...list]
    this.#faults = new Map()
    this.#statuses = statuses
    this.#wording = wording
    this.#made = list.map(accepted)
  }

  /** `undefined` if something is wrong besides elements, or with all of them: then the request is rejected. */
  static of(
    at: Path,
    input: Parts,
    faults: readonly Fault[],
    statuses: Statuses | undefined,
    wording: () => Wording,
  ): Pieces | undefined {
    const list = valueAt(input, at)
    if (!Array.isArray(list)) return undefined
    const pieces = new Pieces(at, list, statuses, wording)
    return pieces.reject(faults).length === 0 && pieces.isAnyAccepted ? pieces : undefined
  }

  /** Rejects the elements in which faults lie; gives the faults that lie in none. */
  reject(faults: readonly Fault[]): readonly Fault[] {
    const rejected = new Set<number>()
    const others = faults.filter((fault) => {
      const index = this.#at.every((key, step) => key === fault.path[step]) ? fault.path[this.#at.length] : undefined
      if (typeof index !== 'number' || !(index in this.#made)) return true
      const own = this.#faults.get(index) ?? []
      this.#faults.set(index, own)
      own.push(fault)
      rejected.add(index)
      return false
    })
    // Once for each element, which may have many.
    for (const index of rejected) {
      this.#values[index] = undefined
      this.#made[index] = this.#rejected(this.faultsOf(index))
    }
    return others
  }
  #rejected(faults: readonly Fault[]): RejectedPiece {
    const { status } = firstOf(faults, this.#statuses)
    return { outcome: 'rejected', status, errors: faults.map((fault) => fieldError(fault, this.#wording())) }
  }

  /** An empty list has nothing that could be wrong. */
  get isAnyAccepted(): boolean {
    return this.#made.length === 0 || this.#made.some(({ outcome }) => outcome === 'accepted')
  }
  /** Where an element stands in the list. */
  indexOf(piece: Piece<unknown>): number {
    this.#indices ??= new Map(this.#made.map((one, index) => [one, index]))
    return this.#indices.get(piece) ?? -1
  }
  /** What is wrong with an element; nothing, if it was accepted. */
  faultsOf(index: number): readonly Fault[] {
    return this.#faults.get(index) ?? []
  }
  /** What is wrong with elements, in their order. */
  get faults(): readonly Fault[] {
    return [...this.#faults].sort(([a], [b]) => a - b).flatMap(([, faults]) => faults)
  }
  get at(): Path {
    return this.#at
  }

  /** The input as lookups see it: with the elements that are not rejected. */
  seen(input: Parts): Parts {
    return withValue(input, this.#at, this.#values) as Parts
  }
  /** Puts the pieces where their list was read. */
  putInto(input: Parts): void {
    putAt(input, this.#at, this.#made)
  }
}

/** A copy with another value at a path of names. */
function withValue(whole: unknown, [name, ...path]: Path, value: unknown): unknown {
  if (name === undefined) return value
  const copy = { ...(whole as object) } as { [name: string]: unknown }
  put(copy, name as string, withValue(copy[name], path, value))
  return copy
}

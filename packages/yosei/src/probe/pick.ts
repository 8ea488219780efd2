/** Where values are picked between the least and the greatest that a declaration takes. */

/** From 0, the least, to 1, the greatest. */
export type Pick = () => number
export const least: Pick = () => 0
export const greatest: Pick = () => 1

/** Picks by a seed: the same each time (mulberry32). */
export function randomly(seed: number): Pick {
  let state = seed
  return () => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296
  }
}

/** A whole number between two, both of them included. */
export const between = (pick: Pick, low: number, high: number): number => low + Math.round(pick() * (high - low))
export const oneOf = <T>(pick: Pick, values: readonly T[]): T =>
  values[Math.min(values.length - 1, Math.floor(pick() * values.length))] as T

/** Why a value cannot be made. */
export class Unmakeable extends Error {}

/**
 * Why a value could not be made.
 *
 * @throws What is no lack of a value.
 */
export function reasonOf(error: unknown): string {
  if (error instanceof Unmakeable) return error.message
  throw error
}

/** What comes of some work; `undefined` if a value for it could not be made. */
export function tried<T>(work: () => T): T | undefined {
  try {
    return work()
  } catch (error) {
    reasonOf(error)
    return undefined
  }
}

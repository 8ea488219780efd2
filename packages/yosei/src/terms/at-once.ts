/** Functions that must give their value at once. */

/** Whether a value is to be awaited. */
export const isPromise = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && typeof (value as { then?: unknown }).then === 'function'

/** A value, unless it is a promise: it would not be awaited, so it would count as any object does. */
export function atOnce<T>(value: T, who: string): T {
  if (isPromise(value))
    throw new TypeError(`${who} gave a promise, which is not awaited: return the value at once, or use a lookup`)
  return value
}

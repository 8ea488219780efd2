/**
 * A private copy that cannot be changed: of lists and plain objects to their depth. What is frozen already stays
 * itself.
 */
export function frozen<T>(value: T): T {
  if (typeof value !== 'object' || value === null || Object.isFrozen(value)) return value
  if (value instanceof Date) return new Date(value) as T
  if (Array.isArray(value)) return Object.freeze(value.map(frozen)) as T
  if (Object.getPrototypeOf(value) !== Object.prototype) return value
  return Object.freeze(Object.fromEntries(Object.entries(value).map(([name, one]) => [name, frozen(one)]))) as T
}

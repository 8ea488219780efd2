/** What makes a value the same as another: for comparisons, turns, and questions that are asked once. */

const identities = new WeakMap<object, () => string>()

/** Says what makes an object the same as another: its own properties need not. */
export function identifyBy(value: unknown, identity: () => string): void {
  if (isObject(value) && !isMoment(value) && !(name in value)) identities.set(value, identity)
}

const name = /* @__PURE__ */ Symbol('name')
/** A value that is made once, frozen: its name says what it is the same as, and need not be worked out for each request. */
export const made = <T extends object>(value: T, called: string): T =>
  Object.freeze(Object.defineProperty(value, name, { value: called }))

/** A text that two values share just when they are the same: names in any order, instants by their time. */
export function canonical(value: unknown): string {
  if (typeof value === 'bigint') return `${value}n`
  if (typeof value === 'number' && !Number.isFinite(value)) return String(value)
  if (typeof value === 'symbol') return `:${String(value)}`
  if (!isObject(value)) return JSON.stringify(value) ?? 'undefined'
  if (isMoment(value)) return `@${value.getTime()}`
  if (name in value) return value[name] as string
  const identity = identities.get(value)
  if (identity) return identity()
  if (Array.isArray(value)) return `[${value.map(canonical).join()}]`
  if (!isPlain(value)) return itself(value)
  const entries = Object.entries(value)
    .filter(([, one]) => one !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : 1))
  return `{${entries.map(([name, one]) => `${JSON.stringify(name)}:${canonical(one)}`).join()}}`
}

const isObject = (value: unknown): value is object =>
  (typeof value === 'object' && value !== null) || typeof value === 'function'
const isMoment = (value: object): value is Date => value instanceof Date && !Number.isNaN(value.getTime())
function isPlain(value: object): boolean {
  const prototype = Object.getPrototypeOf(value)
  return prototype === null || prototype === Object.prototype || Object.getPrototypeOf(prototype) === null
}

let count = 0
/** If nothing else is declared, each is the same as itself alone. */
function itself(value: object): string {
  const name = `!${++count}`
  identities.set(value, () => name)
  return name
}

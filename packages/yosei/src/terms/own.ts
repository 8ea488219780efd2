/** Sets an own property, whatever its name: `__proto__` is data here. */
export function put(target: { [name: string]: unknown }, name: string, value: unknown): void {
  if (name === '__proto__')
    Object.defineProperty(target, name, { value, enumerable: true, configurable: true, writable: true })
  else target[name] = value
}

/** Whether an object has no enumerable name, its prototype's included; without a list of its names being made. */
export function isEmpty(object: object | undefined): boolean {
  for (const _ in object) return false
  return true
}

/** An option that is undefined was not given. */
export const given = <T extends object>(options: T): T =>
  Object.fromEntries(Object.entries(options).filter(([, value]) => value !== undefined)) as T

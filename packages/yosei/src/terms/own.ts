/** Sets an own property, whatever its name: `__proto__` is data here. */
export function put(target: { [name: string]: unknown }, name: string, value: unknown): void {
  if (name === '__proto__') Object.defineProperty(target, name, { value, enumerable: true, configurable: true, writable: true })
  else target[name] = value
}

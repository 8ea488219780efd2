/** A text that two values share just when they are the same: names in any order, instants by their time. */
export function canonical(value: unknown): string {
  if (typeof value === 'bigint') return `${value}n`
  if (value instanceof Date) return `@${value.getTime()}`
  if (Array.isArray(value)) return `[${value.map(canonical).join()}]`
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? 'undefined'
  const entries = Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1))
  return `{${entries.map(([name, one]) => `${JSON.stringify(name)}:${canonical(one)}`).join()}}`
}

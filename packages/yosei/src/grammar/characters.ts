/** Which characters an atom of a pattern takes: code units, or code points under the flags `u` and `v`. */

/** Ranges of characters, in order: the first and the last of each. */
export type Ranges = readonly (readonly [from: number, to: number])[]

/** Every code unit, or every code point that is no surrogate and then each surrogate alone, in a row. */
const rows: { units?: readonly string[]; points?: readonly string[] } = {}
const rowOf = (first: number, last: number): string => {
  let row = ''
  for (let code = first; code <= last; code += 4096) {
    const codes = new Uint32Array(Math.min(4096, last - code + 1))
    for (let at = 0; at < codes.length; at++) codes[at] = code + at
    row += Reflect.apply(String.fromCodePoint, undefined, codes)
  }
  return row
}
const units = () => (rows.units ??= [rowOf(0, 0xffff)])
const points = () => (rows.points ??= [rowOf(0, 0xd7ff), rowOf(0xe000, 0x10ffff)])

const known = /* @__PURE__ */ new Map<string, Ranges>()
const mostKnown = 2000

/** The characters that an atom takes, as the engine itself says. */
export function charactersOf(atom: string, flags: string): Ranges {
  const own = flags.replace(/[^iusv]/g, '')
  const key = `${own} ${atom}`
  const byPoints = /[uv]/.test(own) && !(isPlain(atom) && !own.includes('i'))
  const found = known.get(key) ?? (byPoints ? ofPoints(atom, own) : ofUnits(atom, own.replace(/[uv]/, '')))
  if (known.size < mostKnown) known.set(key, found)
  return found
}

/** Takes the same under the flags `u` and `v`, and nothing beyond 16 bits. */
const isPlain = (atom: string) => /^(?:[ -~]|\\[dws.\-+*?()[\]{}|^$/\\]|\[[ -Z_-~]+\])$/.test(atom) && atom !== '.'

function ofUnits(atom: string, flags: string): Ranges {
  const ranges: [number, number][] = []
  for (const row of units())
    for (const { index, 0: run } of row.matchAll(new RegExp(`(?:${atom})+`, `g${flags}`)))
      ranges.push([index, index + run.length - 1])
  return ranges
}

function ofPoints(atom: string, flags: string): Ranges {
  const ranges: [number, number][] = []
  for (const row of points())
    for (const { 0: run } of row.matchAll(new RegExp(`(?:${atom})+`, `g${flags}`)))
      ranges.push([run.codePointAt(0) as number, lastOf(run)])
  const one = new RegExp(`^(?:${atom})$`, flags)
  for (let code = 0xd800; code < 0xe000; code++) if (one.test(String.fromCharCode(code))) ranges.push([code, code])
  return ranges
}
function lastOf(text: string): number {
  const pair = text.codePointAt(text.length - 2) as number
  return pair > 0xffff ? pair : text.charCodeAt(text.length - 1)
}

/** Sets of characters as sets of the smallest groups that none of them divides. */
export function grouped(sets: readonly Ranges[]): ReadonlySet<number>[] {
  const borders = new Set<number>()
  for (const [from, to] of new Set(sets.flat())) borders.add(from).add(to + 1)
  const starts = [...borders].sort((a, b) => a - b)
  const numberOf = new Map(starts.map((start, index) => [start, index]))
  const groups = new Map<string, number>()
  const distinct = [...new Set(sets)]
  const holders: number[][] = starts.map(() => [])
  for (const [index, set] of distinct.entries())
    for (const [from, to] of set)
      for (let at = numberOf.get(from) as number; (starts[at] as number) <= to; at++) holders[at]?.push(index)
  const members = new Map(distinct.map((set) => [set, new Set<number>()]))
  for (const holding of holders) {
    const key = holding.join()
    const group = groups.get(key) ?? groups.size
    groups.set(key, group)
    for (const index of holding) members.get(distinct[index] as Ranges)?.add(group)
  }
  return sets.map((set) => members.get(set) as Set<number>)
}

/** How sizes and spans of time are written in declarations. */
const units: { readonly [unit: string]: number } = {
  B: 1,
  kB: 1e3,
  MB: 1e6,
  GB: 1e9,
  ms: 1,
  s: 1e3,
  m: 6e4,
  h: 36e5,
  d: 864e5,
}
const amount = (found: RegExpExecArray | null) =>
  found ? Number(found[1]) * (units[found[2] as string] as number) : Number.NaN

/** Bytes of a size such as `64kB`, or of a number; NaN where it is none. */
export const readSize = (size: string | number): number =>
  typeof size === 'number' ? size : amount(/^(\d+(?:\.\d+)?)(B|kB|MB|GB)$/.exec(size))
/** Milliseconds of a span such as `36h`; NaN where it is none. */
export function readSpan(span: string): number {
  const known = spans.get(span)
  if (known !== undefined) return known
  const read = amount(/^(\d+(?:\.\d+)?)(ms|s|m|h|d)$/.exec(span))
  // Declarations have few of them.
  if (spans.size < 1000) spans.set(span, read)
  return read
}
const spans = /* @__PURE__ */ new Map<string, number>()

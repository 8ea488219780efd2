/** Time zones (IANA), by what `Intl` knows of them: how far their clocks are from UTC, and when. */

const second = 1000
const minute = 60 * second
const quarter = 15 * minute
/** Offsets are kept for so many quarters of an hour of each zone: who sends more of them has them asked again. */
const mostKept = 10_000
/** Longer than any zone has clocks changed twice. */
const day = 24 * 60 * minute

interface Zone {
  readonly format: Intl.DateTimeFormat
  readonly quarters: Map<number, Quarter>
}
/** The offset from the start of a quarter of an hour; and another, if clocks change in it: most do at its start. */
interface Quarter {
  readonly offset: number
  readonly change: { readonly at: number; readonly offset: number } | undefined
}
const mostZones = 1000
const zones = /* @__PURE__ */ new Map<string, Zone>()

/** @throws RangeError if there is no such zone. */
function zoneOf(name: string): Zone {
  const known = zones.get(name)
  if (known) return known
  const zone = {
    format: new Intl.DateTimeFormat('en', { timeZone: name, timeZoneName: 'longOffset' }),
    quarters: new Map<number, Quarter>(),
  }
  // Clients may name zones, in any case of their letters.
  if (zones.size >= mostZones) zones.clear()
  zones.set(name, zone)
  return zone
}

/** Whether a text names a time zone, as a declaration does. */
export function isZone(name: string): boolean {
  try {
    zoneOf(name)
    return true
  } catch {
    return false
  }
}

const areas =
  /^(?:Africa|America|Antarctica|Arctic|Asia|Atlantic|Australia|Brazil|Canada|Chile|Etc|Europe|Indian|Mexico|Pacific|US)\/|^[A-Za-z0-9+-]{2,9}$/
const answers = /* @__PURE__ */ new Map<string, boolean>()

/** Whether a text that a client sent names a time zone. The answers are kept, so that many of them cost little. */
export function isZoneName(name: string): boolean {
  const known = answers.get(name)
  if (known !== undefined) return known
  let is = areas.test(name)
  try {
    if (is) new Intl.DateTimeFormat('en', { timeZone: name })
  } catch {
    is = false
  }
  if (answers.size >= mostKept) answers.clear()
  answers.set(name, is)
  return is
}

/** How far the clocks of a zone are before UTC at an instant, in milliseconds. */
export function offsetAt(name: string, instant: number): number {
  if (name === 'UTC') return 0
  const { format, quarters } = zoneOf(name)
  const key = Math.floor(instant / quarter)
  let known = quarters.get(key)
  if (!known) {
    if (quarters.size >= mostKept) quarters.clear()
    known = readQuarter(format, key * quarter)
    quarters.set(key, known)
  }
  return known.change && instant >= known.change.at ? known.change.offset : known.offset
}

function readQuarter(format: Intl.DateTimeFormat, start: number): Quarter {
  const offset = readOffset(format, start)
  let [low, high] = [start, start + quarter - second]
  const after = readOffset(format, high)
  if (after === offset) return { offset, change: undefined }
  while (high - low > second) {
    const middle = Math.floor((low + high) / 2 / second) * second
    if (readOffset(format, middle) === offset) low = middle
    else high = middle
  }
  return { offset, change: { at: high, offset: after } }
}

/** The last instant that a Date can be. */
const last = 8.64e15

function readOffset(format: Intl.DateTimeFormat, instant: number): number {
  const text = format.format(Math.max(-last, Math.min(last, instant)))
  const [, sign, hours = 0, minutes = 0, seconds = 0] = /GMT(?:([+-])(\d\d):(\d\d)(?::(\d\d))?)?$/.exec(text) ?? []
  return (sign === '-' ? -1 : 1) * (Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds)) * 1000
}

/**
 * The instant at which the clocks of a zone show a time, given as if it were UTC: the first, if they show it twice;
 * `undefined` if they skip it.
 */
export function instantShown(zone: string, shown: number): number | undefined {
  for (const offset of offsetsAround(zone, shown)) if (offsetAt(zone, shown - offset) === offset) return shown - offset
  return undefined
}

/** The same; where the clocks skip it, the first instant behind what they skip. */
export function instantFrom(zone: string, shown: number): number {
  const found = instantShown(zone, shown)
  if (found !== undefined) return found
  const [after, before] = offsetsAround(zone, shown) as [number, number]
  let low = Math.floor((shown - after) / second)
  let high = Math.ceil((shown - before) / second)
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2)
    if (offsetAt(zone, middle * second) === before) low = middle
    else high = middle
  }
  return high * second
}

/** The offsets on the days before and behind, the greater first: with it an instant is the earlier. */
const offsetsAround = (zone: string, shown: number): readonly number[] =>
  [offsetAt(zone, shown - day), offsetAt(zone, shown + day)].sort((a, b) => b - a)

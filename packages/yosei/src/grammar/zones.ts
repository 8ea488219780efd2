/** Time zones (IANA), by what `Intl` knows of them: how far their clocks are from UTC, and when. */

const minute = 60_000
/** Clocks change at quarters of an hour alone, since there are time zones. */
const quarter = 15 * minute
/** Offsets are kept for so many quarters of each zone: who sends more of them has them asked again. */
const mostKept = 10_000
/** Longer than any zone has clocks changed twice. */
const day = 24 * 60 * minute

interface Zone {
  readonly format: Intl.DateTimeFormat
  readonly offsets: Map<number, number>
}
const zones = new Map<string, Zone>()

/** @throws RangeError where there is no such zone. */
function zoneOf(name: string): Zone {
  const known = zones.get(name)
  if (known) return known
  const zone = {
    format: new Intl.DateTimeFormat('en', { timeZone: name, timeZoneName: 'longOffset' }),
    offsets: new Map<number, number>(),
  }
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
const answers = new Map<string, boolean>()

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
  const { format, offsets } = zoneOf(name)
  const key = Math.floor(instant / quarter)
  const known = offsets.get(key)
  if (known !== undefined) return known
  if (offsets.size >= mostKept) offsets.clear()
  const offset = readOffset(format, key * quarter)
  offsets.set(key, offset)
  return offset
}

/** The last instant that a Date can be. */
const last = 8.64e15

function readOffset(format: Intl.DateTimeFormat, instant: number): number {
  const text = format.format(Math.max(-last, Math.min(last, instant)))
  const [, sign, hours = 0, minutes = 0, seconds = 0] = /GMT(?:([+-])(\d\d):(\d\d)(?::(\d\d))?)?$/.exec(text) ?? []
  return (sign === '-' ? -1 : 1) * (Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds)) * 1000
}

/**
 * The instant at which the clocks of a zone show a time, given as if it were UTC: the first, where they show it twice;
 * `undefined` where they skip it.
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
  let low = Math.floor((shown - after) / quarter)
  let high = Math.ceil((shown - before) / quarter)
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2)
    if (offsetAt(zone, middle * quarter) === before) low = middle
    else high = middle
  }
  return high * quarter
}

/** The offsets on the days before and behind, the greater first: with it an instant is the earlier. */
const offsetsAround = (zone: string, shown: number): readonly number[] =>
  [offsetAt(zone, shown - day), offsetAt(zone, shown + day)].sort((a, b) => b - a)

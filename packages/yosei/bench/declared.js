/**
 * What users declare, one by one: the demonstration's booking as it is declared, a long list under four rules, each kind
 * and each rule. Beside each stands what a careful engineer writes for it alone: it checks what was sent, copies it, and
 * tells every error at its address. Formats and dates are read by the library's own readers on both sides.
 */
import {
  anything,
  bigInteger,
  byteRanges,
  choice,
  constant,
  day,
  decimal,
  duration,
  either,
  endpoint,
  entityTags,
  epoch,
  flag,
  httpDate,
  instant,
  integer,
  later,
  list,
  number,
  readAs,
  record,
  sortKeys,
  table,
  tagged,
  text,
  timeOfDay,
  tuple,
} from 'yosei'
import {
  codePoints,
  formats,
  readByteRanges,
  readDay,
  readDuration,
  readEntityTags,
  readHttpDate,
  readInstant,
} from '../dist/internals.js'

const isObject = (value) => typeof value === 'object' && value !== null && !Array.isArray(value)
const hour = 3_600_000
const now = Date.UTC(2031, 2, 1, 12)
/** The clock of all that is measured. */
export const clock = new Date(now)

/** Gathers errors, and is nothing if there are none. */
class Errors {
  all
  tell(address, code) {
    this.all ??= []
    this.all.push({ address, code })
  }
}
const isText = (value, least, most) =>
  typeof value === 'string' &&
  (value.length >= 2 * least || codePoints(value) >= least) &&
  (value.length <= most || codePoints(value) <= most)
function countNames(value) {
  let count = 0
  for (const _ in value) count++
  return count
}

// The demonstration's booking, as it was declared when this was written.

const slug = text({ pattern: /^[a-z][a-z0-9-]+$/, length: [2, 40] })
const clockTime = /^([01]\d|2[0-3]):([0-5]\d):([0-5]\d(?:\.\d{1,4})?)$/
function readHours(sent) {
  const [, hours, minutes, seconds] = clockTime.exec(sent) ?? []
  return hours === undefined ? undefined : Number(hours) + Number(minutes) / 60 + Number(seconds) / 3600
}
function fits({ opens, closes }, exposures, overhead) {
  const seconds = exposures.reduce((sum, { seconds, count }) => sum + seconds * count, 0)
  return opens >= closes || seconds * 1000 + overhead <= closes.getTime() - opens.getTime()
}
const filters = ['clear', 'red', 'green', 'blue']
const session = record({
  target: record({
    name: text({ length: [1, 80], tidy: ['trim'] }),
    rightAscension: readAs(text(), readHours, { code: 'bad_right_ascension' }),
    declination: number({ min: -90, max: 90 }),
  }),
  window: record(
    { opens: instant({ from: '+36h' }), closes: instant({ until: '+180d' }) },
    { rules: (on) => [on.ascending('opens', 'closes')] },
  ),
  exposures: list(
    record({
      filter: choice(filters),
      seconds: number({ above: 0, max: 3600, step: 0.5 }),
      count: integer({ min: 1, max: 500, default: 1 }),
    }),
    { length: [1, 12], distinct: 'filter' },
  ),
  observing: tagged('mode', {
    survey: record({ tiles: integer({ min: 2, max: 400 }), overlap: number({ min: 0, below: 0.5, default: 0.1 }) }),
    single: record({ guiding: flag({ default: true }) }),
  }),
  overhead: duration({ max: '2h', default: 300_000 }),
  price: decimal({ digits: 7, scale: 2, min: '0' }),
  tags: table(text({ length: [1, 20] }), { length: [0, 4], names: /^[a-z]+$/, optional: true }),
  contact: text({ format: 'email' }),
  doorCode: text({ length: [6, 12], optional: true, secret: true }),
  note: text({ length: [0, 500], optional: true, nullable: true }),
})
const booking = endpoint('POST /telescopes/{telescopeId}/sessions', {
  path: { telescopeId: slug },
  query: { dryRun: flag({ default: false }) },
  header: { 'x-team': slug, 'idempotency-key': text({ length: [8, 64], optional: true }) },
  body: session,
  rules: (on) => [
    on.needed('header.idempotency-key', on.above('body.observing.tiles', 100)),
    on.check({
      reads: ['body.window', 'body.exposures', 'body.overhead'],
      blames: ['body.exposures'],
      code: 'longer_than_window',
      holds: fits,
    }),
  ],
})
const slugPattern = /^[a-z][a-z0-9-]+$/
const names = /^[a-z]+$/
const decimalText = /^-?(?:0|[1-9]\d*)(?:\.(\d+))?$/
const sessionNames = new Set([
  'target',
  'window',
  'exposures',
  'observing',
  'overhead',
  'price',
  'tags',
  'contact',
  'doorCode',
  'note',
])
function refuseNames(errors, value, declared, prefix) {
  for (const name of Object.keys(value)) if (!declared.has(name)) errors.tell(`${prefix}.${name}`, 'unlisted')
}
function bookByHand({ path, query, header, body }) {
  const errors = new Errors()
  const isSlug = (value) => isText(value, 2, 40) && slugPattern.test(value)
  if (!isSlug(path.telescopeId)) errors.tell('path.telescopeId', 'wrong_pattern')
  let dryRun = false
  const raw = query?.dryRun
  if (raw !== undefined && raw !== '') {
    if (raw === 'true' || raw === '1') dryRun = true
    else if (raw !== 'false' && raw !== '0') errors.tell('query.dryRun', 'wrong_type')
  }
  for (const name in query) if (name !== 'dryRun') errors.tell(`query.${name}`, 'unlisted')
  const team = header['x-team']
  const key = header['idempotency-key']
  if (!isSlug(team)) errors.tell('header.x-team', 'wrong_pattern')
  if (key !== undefined && !isText(key, 8, 64)) errors.tell('header.idempotency-key', 'too_short')
  if (!isObject(body)) return { errors: [{ address: 'body', code: 'wrong_type' }] }
  const { target, window, exposures, observing, price, tags, contact, doorCode, note } = body
  let readTarget
  if (isObject(target)) {
    const name = typeof target.name === 'string' ? target.name.trim() : target.name
    if (!isText(name, 1, 80)) errors.tell('body.target.name', 'too_short')
    const rightAscension = typeof target.rightAscension === 'string' ? readHours(target.rightAscension) : undefined
    if (rightAscension === undefined) errors.tell('body.target.rightAscension', 'bad_right_ascension')
    const { declination } = target
    if (typeof declination !== 'number' || !(declination >= -90 && declination <= 90))
      errors.tell('body.target.declination', 'above_max')
    if (countNames(target) !== 3)
      refuseNames(errors, target, new Set(['name', 'rightAscension', 'declination']), 'body.target')
    readTarget = { name, rightAscension, declination: declination + 0 }
  } else errors.tell('body.target', 'wrong_type')
  let readWindow
  if (isObject(window)) {
    const opens = typeof window.opens === 'string' ? readInstant(window.opens) : 'wrong_type'
    if (typeof opens !== 'number') errors.tell('body.window.opens', opens)
    else if (opens < now + 36 * hour) errors.tell('body.window.opens', 'too_early')
    const closes = typeof window.closes === 'string' ? readInstant(window.closes) : 'wrong_type'
    if (typeof closes !== 'number') errors.tell('body.window.closes', closes)
    else if (closes > now + 180 * 24 * hour) errors.tell('body.window.closes', 'too_late')
    else if (closes <= opens) errors.tell('body.window.closes', 'out_of_order')
    if (countNames(window) !== 2) refuseNames(errors, window, new Set(['opens', 'closes']), 'body.window')
    readWindow = { opens: new Date(opens), closes: new Date(closes) }
  } else errors.tell('body.window', 'wrong_type')
  let readExposures
  if (Array.isArray(exposures)) {
    if (exposures.length < 1 || exposures.length > 12) errors.tell('body.exposures', 'too_many')
    readExposures = []
    for (let i = 0; i < exposures.length; i++) {
      const exposure = exposures[i]
      if (!isObject(exposure)) {
        errors.tell(`body.exposures[${i}]`, 'wrong_type')
        continue
      }
      const { filter, seconds, count } = exposure
      if (filter !== 'clear' && filter !== 'red' && filter !== 'green' && filter !== 'blue')
        errors.tell(`body.exposures[${i}].filter`, 'not_a_choice')
      for (let j = 0; j < i; j++)
        if (exposures[j]?.filter === filter) errors.tell(`body.exposures[${i}].filter`, 'repeated')
      if (typeof seconds !== 'number' || !(seconds > 0 && seconds <= 3600 && seconds % 0.5 === 0))
        errors.tell(`body.exposures[${i}].seconds`, 'above_max')
      if (count !== undefined && !(Number.isSafeInteger(count) && count >= 1 && count <= 500))
        errors.tell(`body.exposures[${i}].count`, 'above_max')
      if (countNames(exposure) !== (count === undefined ? 2 : 3))
        refuseNames(errors, exposure, new Set(['filter', 'seconds', 'count']), `body.exposures[${i}]`)
      readExposures.push({ filter, seconds, count: count === undefined ? 1 : count })
    }
  } else errors.tell('body.exposures', 'wrong_type')
  let readObserving
  if (observing?.mode === 'survey') {
    const { tiles, overlap } = observing
    if (!Number.isSafeInteger(tiles) || tiles < 2 || tiles > 400) errors.tell('body.observing.tiles', 'above_max')
    if (overlap !== undefined && !(typeof overlap === 'number' && overlap >= 0 && overlap < 0.5))
      errors.tell('body.observing.overlap', 'above_max')
    if (countNames(observing) !== (overlap === undefined ? 2 : 3))
      refuseNames(errors, observing, new Set(['mode', 'tiles', 'overlap']), 'body.observing')
    readObserving = { mode: 'survey', tiles, overlap: overlap === undefined ? 0.1 : overlap + 0 }
    if (tiles > 100 && (key === undefined || key === '')) errors.tell('header.idempotency-key', 'needed')
  } else if (observing?.mode === 'single') {
    const { guiding } = observing
    if (guiding !== undefined && typeof guiding !== 'boolean') errors.tell('body.observing.guiding', 'wrong_type')
    if (countNames(observing) !== (guiding === undefined ? 1 : 2))
      refuseNames(errors, observing, new Set(['mode', 'guiding']), 'body.observing')
    readObserving = { mode: 'single', guiding: guiding === undefined ? true : guiding }
  } else errors.tell('body.observing.mode', 'not_a_choice')
  let overhead = 300_000
  if (body.overhead !== undefined) {
    const read = typeof body.overhead === 'string' ? readDuration(body.overhead) : undefined
    if (read === undefined) errors.tell('body.overhead', 'wrong_format')
    else if (read > 2 * hour) errors.tell('body.overhead', 'above_max')
    else overhead = read
  }
  const [, fraction = ''] = (typeof price === 'string' && decimalText.exec(price)) || []
  if (typeof price !== 'string' || !decimalText.test(price)) errors.tell('body.price', 'wrong_type')
  else if (fraction.length > 2 || price.length - (fraction === '' ? 0 : 1) > 7)
    errors.tell('body.price', 'too_many_digits')
  else if (Number(price) < 0) errors.tell('body.price', 'below_min')
  let readTags
  if (tags !== undefined) {
    if (isObject(tags)) {
      readTags = {}
      let count = 0
      for (const name in tags) {
        count++
        if (!names.test(name)) errors.tell(`body.tags.${name}`, 'wrong_pattern')
        if (!isText(tags[name], 1, 20)) errors.tell(`body.tags.${name}`, 'too_long')
        readTags[name] = tags[name]
      }
      if (count > 4) errors.tell('body.tags', 'too_many')
    } else errors.tell('body.tags', 'wrong_type')
  }
  if (typeof contact !== 'string' || formats.email.check(contact) !== undefined)
    errors.tell('body.contact', 'wrong_format')
  if (doorCode !== undefined && !isText(doorCode, 6, 12)) errors.tell('body.doorCode', 'too_short')
  if (note !== undefined && note !== null && !isText(note, 0, 500)) errors.tell('body.note', 'too_long')
  let optional = 0
  if (body.overhead !== undefined) optional++
  if (tags !== undefined) optional++
  if (doorCode !== undefined) optional++
  if (note !== undefined) optional++
  if (countNames(body) !== 6 + optional) refuseNames(errors, body, sessionNames, 'body')
  if (!errors.all && !fits(readWindow, readExposures, overhead)) errors.tell('body.exposures', 'longer_than_window')
  if (errors.all) return { errors: errors.all }
  const input = {
    target: readTarget,
    window: readWindow,
    exposures: readExposures,
    observing: readObserving,
    overhead,
    price,
  }
  if (readTags !== undefined) input.tags = readTags
  input.contact = contact
  if (doorCode !== undefined) input.doorCode = doorCode
  if (note !== undefined) input.note = note
  const readHeader = { 'x-team': team }
  if (key !== undefined) readHeader['idempotency-key'] = key
  return {
    input: { path: { telescopeId: path.telescopeId }, query: { dryRun }, header: readHeader, cookie: {}, body: input },
  }
}
const bookingBody = {
  target: { name: 'Lantern Nebula', rightAscension: '05:35:17.3', declination: -5.39 },
  window: { opens: '2031-03-03T22:00:00Z', closes: '2031-03-04T01:30:00Z' },
  exposures: [
    { filter: 'red', seconds: 60, count: 10 },
    { filter: 'blue', seconds: 120.5 },
  ],
  observing: { mode: 'survey', tiles: 9 },
  overhead: 'PT5M',
  price: '1250.50',
  tags: { season: 'spring' },
  contact: 'ada@nebula.example',
}
export const demonstration = {
  endpoint: booking,
  hand: bookByHand,
  sent: { path: { telescopeId: 'kr-2' }, query: {}, header: { 'x-team': 'nebula' }, body: bookingBody },
  wrong: {
    path: { telescopeId: 'kr-2' },
    query: {},
    header: { 'x-team': 'nebula' },
    body: {
      ...bookingBody,
      window: { opens: '2031-03-04T22:00:00Z', closes: '2031-03-04T01:30:00Z' },
      observing: { mode: 'survey', tiles: 200 },
      price: '-1',
      contact: 'ada',
    },
  },
}

// A long list under four rules.

const reading = record({
  station: text({ length: [1, 20] }),
  at: instant(),
  seconds: integer({ min: 0, max: 86_400 }),
  kind: choice(['wind', 'rain']),
  amount: number({ min: 0, max: 500 }),
})
const report = endpoint('POST /readings', {
  body: record({ most: integer(), readings: list(reading, { length: [0, 20_000] }) }),
  rules: (on) => [
    on.inOrder('body.readings[].at'),
    on.distinct('body.readings[].station', 'body.readings[].seconds'),
    on.sumWithin('body.readings[].seconds', { atMost: 'body.most' }),
    on.while(on.is('body.readings[].kind', 'rain'), [on.fits('body.readings[].amount', number({ max: 100 }))]),
  ],
})
function reportByHand({ body }) {
  const errors = new Errors()
  if (!isObject(body) || !Array.isArray(body.readings)) return { errors: [{ address: 'body', code: 'wrong_type' }] }
  const { most, readings } = body
  if (!Number.isSafeInteger(most)) errors.tell('body.most', 'wrong_type')
  if (readings.length > 20_000) errors.tell('body.readings', 'too_many')
  const read = []
  const seen = new Set()
  let sum = 0
  let last
  for (let i = 0; i < readings.length; i++) {
    const one = readings[i]
    if (!isObject(one)) {
      errors.tell(`body.readings[${i}]`, 'wrong_type')
      continue
    }
    const { station, seconds, kind, amount } = one
    if (!isText(station, 1, 20)) errors.tell(`body.readings[${i}].station`, 'too_short')
    const at = typeof one.at === 'string' ? readInstant(one.at) : 'wrong_type'
    if (typeof at !== 'number') errors.tell(`body.readings[${i}].at`, at)
    else if (last !== undefined && at <= last) errors.tell(`body.readings[${i}].at`, 'out_of_order')
    last = at
    if (!Number.isSafeInteger(seconds) || seconds < 0 || seconds > 86_400)
      errors.tell(`body.readings[${i}].seconds`, 'above_max')
    sum += seconds
    const key = `${station} ${seconds}`
    if (seen.has(key)) errors.tell(`body.readings[${i}]`, 'repeated')
    seen.add(key)
    if (kind !== 'wind' && kind !== 'rain') errors.tell(`body.readings[${i}].kind`, 'not_a_choice')
    if (typeof amount !== 'number' || !(amount >= 0 && amount <= (kind === 'rain' ? 100 : 500)))
      errors.tell(`body.readings[${i}].amount`, 'above_max')
    if (countNames(one) !== 5)
      refuseNames(errors, one, new Set(['station', 'at', 'seconds', 'kind', 'amount']), `body.readings[${i}]`)
    read.push({ station, at: new Date(at), seconds: seconds + 0, kind, amount: amount + 0 })
  }
  if (sum > most) errors.tell('body.readings', 'above_max')
  if (countNames(body) !== 2) refuseNames(errors, body, new Set(['most', 'readings']), 'body')
  if (errors.all) return { errors: errors.all }
  return { input: { path: {}, query: {}, header: {}, cookie: {}, body: { most, readings: read } } }
}
export const longList = {
  endpoint: report,
  hand: reportByHand,
  sent: {
    body: {
      most: 10_000_000,
      readings: Array.from({ length: 1000 }, (_, n) => ({
        station: `kr-${n % 7}`,
        at: new Date(now + n * 1000).toISOString(),
        seconds: n,
        kind: n % 2 ? 'wind' : 'rain',
        amount: (n % 100) + 0.5,
      })),
    },
  },
}

// Each kind, alone in a record.

const tree = record({ name: text(), kids: list(later(() => tree)) })
const copyTree = (value) => {
  if (!isObject(value) || typeof value.name !== 'string' || !Array.isArray(value.kids) || countNames(value) !== 2)
    return undefined
  const kids = []
  for (const kid of value.kids) {
    const one = copyTree(kid)
    if (one === undefined) return undefined
    kids.push(one)
  }
  return { name: value.name, kids }
}
const zoned = new Intl.DateTimeFormat('sv', { timeZone: 'America/Santiago' })
/** `[name, field, value, read]`; what `read` gives of a value that is wrong is `undefined`. */
const largeNames = Array.from({ length: 40 }, (_, index) => `k${index}`)
export const kinds = [
  [
    'text',
    text({ length: [1, 80], pattern: /^[a-z][a-z0-9-]+$/ }),
    'lantern-nebula',
    (v) => (isText(v, 1, 80) && slugPattern.test(v) ? v : undefined),
  ],
  [
    'text, tidied',
    text({ length: [1, 80], tidy: ['trim', 'lower'] }),
    ' Lantern Nebula ',
    (v) => {
      const t = typeof v === 'string' ? v.trim().toLowerCase() : v
      return isText(t, 1, 80) ? t : undefined
    },
  ],
  [
    'text, compact',
    text({ length: [1, 80], tidy: ['compact'] }),
    'AT61 1904 3002 3457 3201',
    (v) => {
      const t = typeof v === 'string' ? v.replace(/\s+/gu, '') : v
      return isText(t, 1, 80) ? t : undefined
    },
  ],
  [
    'text, http-date',
    text({ format: 'http-date' }),
    'Sat, 01 Mar 2031 22:30:00 GMT',
    (v) => (typeof v === 'string' && readHttpDate(v) !== undefined ? v : undefined),
  ],
  [
    'httpDate',
    httpDate(),
    'Sat, 01 Mar 2031 22:30:00 GMT',
    (v) => {
      const t = typeof v === 'string' ? readHttpDate(v) : undefined
      return t === undefined ? undefined : new Date(t)
    },
  ],
  ['entityTags', entityTags(), 'W/"a1", "b2"', (v) => (typeof v === 'string' ? readEntityTags(v) : undefined)],
  ['byteRanges', byteRanges(), 'bytes=0-499,-500', (v) => (typeof v === 'string' ? readByteRanges(v) : undefined)],
  [
    'epoch',
    epoch({ unit: 's' }),
    1930000000,
    (v) => (Number.isSafeInteger(v) && v >= -62167219200 && v <= 253402300799 ? new Date(v * 1000) : undefined),
  ],
  [
    'sortKeys',
    sortKeys(['opens', 'team']),
    ['opens', '-team'],
    (v) => {
      if (!Array.isArray(v)) return undefined
      const seen = new Set()
      const keys = []
      for (const one of v) {
        const key = typeof one === 'string' && one.startsWith('-') ? one.slice(1) : one
        if ((key !== 'opens' && key !== 'team') || seen.has(key)) return undefined
        seen.add(key)
        keys.push({ key, descending: one !== key })
      }
      return keys
    },
  ],
  [
    'text, email',
    text({ format: 'email' }),
    'ada@nebula.example',
    (v) => (typeof v === 'string' && formats.email.check(v) === undefined ? v : undefined),
  ],
  [
    'text, uri',
    text({ format: 'uri' }),
    'https://nebula.example/a?b=c',
    (v) => (typeof v === 'string' && formats.uri.check(v) === undefined ? v : undefined),
  ],
  [
    'text, country',
    text({ format: 'country' }),
    'AT',
    (v) => (typeof v === 'string' && formats.country.check(v) === undefined ? v : undefined),
  ],
  [
    'integer',
    integer({ min: 1, max: 500 }),
    41,
    (v) => (Number.isSafeInteger(v) && v >= 1 && v <= 500 ? v + 0 : undefined),
  ],
  [
    'number',
    number({ min: -90, max: 90, step: 0.5 }),
    -5.5,
    (v) => (typeof v === 'number' && v >= -90 && v <= 90 && v % 0.5 === 0 ? v + 0 : undefined),
  ],
  [
    'bigInteger',
    bigInteger({ min: 0n }),
    '12345678901234567890',
    (v) => (typeof v === 'string' && /^-?(?:0|[1-9]\d*)$/.test(v) && BigInt(v) >= 0n ? BigInt(v) : undefined),
  ],
  [
    'decimal',
    decimal({ digits: 7, scale: 2, min: '0', max: '2000' }),
    '1250.50',
    (v) => {
      const [, f = ''] = (typeof v === 'string' && decimalText.exec(v)) || []
      return typeof v === 'string' &&
        decimalText.test(v) &&
        f.length <= 2 &&
        v.length - (f === '' ? 0 : 1) <= 7 &&
        Number(v) >= 0 &&
        Number(v) <= 2000
        ? v
        : undefined
    },
  ],
  [
    'decimal, from numbers',
    decimal({ scale: 2, min: '0', max: '2000', numbers: true }),
    1250.5,
    (v) => {
      const t = typeof v === 'number' ? String(v) : v
      const [, f = ''] = (typeof t === 'string' && decimalText.exec(t)) || []
      return typeof t === 'string' && decimalText.test(t) && f.length <= 2 && Number(t) >= 0 && Number(t) <= 2000
        ? t
        : undefined
    },
  ],
  ['flag', flag(), true, (v) => (typeof v === 'boolean' ? v : undefined)],
  [
    'instant',
    instant({ from: '+36h' }),
    '2031-03-03T22:00:00Z',
    (v) => {
      const t = typeof v === 'string' ? readInstant(v) : ''
      return typeof t === 'number' && t >= now + 36 * hour ? new Date(t) : undefined
    },
  ],
  ['day', day(), '2031-03-03', (v) => (typeof v === 'string' && typeof readDay(v) === 'number' ? v : undefined)],
  [
    'day, on weekdays',
    day({ weekdays: ['mon', 'tue', 'wed', 'thu', 'fri'] }),
    '2031-03-03',
    (v) => {
      if (typeof v !== 'string' || typeof readDay(v) !== 'number') return undefined
      const at = new Date(v).getUTCDay()
      return at > 0 && at < 6 ? v : undefined
    },
  ],
  [
    'day, from today in a zone',
    day({ from: '+0d', until: '+6mo', zone: 'America/Santiago' }),
    '2031-03-03',
    (v) => {
      if (typeof v !== 'string' || typeof readDay(v) !== 'number') return undefined
      const today = zoned.format(now)
      const end = new Date(Date.parse(today))
      end.setUTCMonth(end.getUTCMonth() + 6)
      return v >= today && v <= end.toISOString().slice(0, 10) ? v : undefined
    },
  ],
  [
    'timeOfDay',
    timeOfDay({ from: '08:00' }),
    '20:30',
    (v) => {
      if (typeof v !== 'string' || !/^(?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d)?$/.test(v)) return undefined
      const t = v.length === 5 ? `${v}:00` : v
      return t >= '08:00:00' ? t : undefined
    },
  ],
  [
    'duration',
    duration({ max: '2h' }),
    'PT1H30M',
    (v) => {
      const t = typeof v === 'string' ? readDuration(v) : undefined
      return t !== undefined && t <= 2 * hour ? t : undefined
    },
  ],
  [
    'choice',
    choice(filters),
    'green',
    (v) => (v === 'clear' || v === 'red' || v === 'green' || v === 'blue' ? v : undefined),
  ],
  ['constant', constant('v1'), 'v1', (v) => (v === 'v1' ? v : undefined)],
  [
    'list',
    list(integer(), { length: [1, 20] }),
    [1, 2, 3, 4, 5, 6, 7, 8],
    (v) => {
      if (!Array.isArray(v) || v.length < 1 || v.length > 20) return undefined
      const all = []
      for (let i = 0; i < v.length; i++) {
        if (!Number.isSafeInteger(v[i])) return undefined
        all.push(v[i] + 0)
      }
      return all
    },
  ],
  [
    'list, distinct',
    list(text(), { distinct: true }),
    ['a', 'b', 'c', 'd'],
    (v) => {
      if (!Array.isArray(v)) return undefined
      const all = []
      for (let i = 0; i < v.length; i++) {
        if (typeof v[i] !== 'string' || all.includes(v[i])) return undefined
        all.push(v[i])
      }
      return all
    },
  ],
  [
    'tuple',
    tuple([number(), number()]),
    [5.5, -5.4],
    (v) =>
      Array.isArray(v) && v.length === 2 && Number.isFinite(v[0]) && Number.isFinite(v[1])
        ? [v[0] + 0, v[1] + 0]
        : undefined,
  ],
  [
    'record',
    record({ a: integer(), b: text() }),
    { a: 1, b: 'x' },
    (v) =>
      isObject(v) && Number.isSafeInteger(v.a) && typeof v.b === 'string' && countNames(v) === 2
        ? { a: v.a + 0, b: v.b }
        : undefined,
  ],
  [
    'table',
    table(integer(), { names: /^[a-z]+$/ }),
    { a: 1, b: 2, c: 3 },
    (v) => {
      if (!isObject(v)) return undefined
      const all = {}
      for (const name of Object.keys(v)) {
        if (!names.test(name) || !Number.isSafeInteger(v[name])) return undefined
        all[name] = v[name] + 0
      }
      return all
    },
  ],
  [
    'tagged',
    tagged('mode', { a: record({ n: integer() }), b: record({}) }),
    { mode: 'a', n: 1 },
    (v) => {
      if (!isObject(v)) return undefined
      if (v.mode === 'a')
        return Number.isSafeInteger(v.n) && countNames(v) === 2 ? { mode: 'a', n: v.n + 0 } : undefined
      return v.mode === 'b' && countNames(v) === 1 ? { mode: 'b' } : undefined
    },
  ],
  [
    'either',
    either([integer(), text()]),
    'x',
    (v) => (Number.isSafeInteger(v) ? v + 0 : typeof v === 'string' ? v : undefined),
  ],
  [
    'either, large',
    either(largeNames.map((name) => record({ kind: constant(name), n: integer() }))),
    { kind: 'k29', n: 1 },
    (v) =>
      isObject(v) && largeNames.includes(v.kind) && Number.isSafeInteger(v.n) && countNames(v) === 2
        ? { kind: v.kind, n: v.n + 0 }
        : undefined,
  ],
  ['number, whole', number({ whole: true }), 5, (v) => (Number.isInteger(v) ? v + 0 : undefined)],
  ['later', later(() => tree), { name: 'a', kids: [{ name: 'b', kids: [] }] }, copyTree],
  [
    'readAs',
    readAs(text(), readHours, { code: 'x' }),
    '05:35:17.3',
    (v) => (typeof v === 'string' ? readHours(v) : undefined),
  ],
  ['anything', anything(), { free: [1, 'a'] }, (v) => structured(v)],
]

// Unions of scalars, in each source: as JSON, as JSON whose text is read too, and as the text of a query.

const wholeText = /^-?(?:0|[1-9]\d*)$/
const numberText = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/
const isWhole = (v) => Number.isSafeInteger(v)
const readWhole = (v) => {
  const n = typeof v === 'string' ? (wholeText.test(v) ? Number(v) : undefined) : v
  return isWhole(n) ? n + 0 : undefined
}
const readNumber = (v) => {
  const n = typeof v === 'string' ? (numberText.test(v) ? Number(v) : undefined) : v
  return Number.isFinite(n) ? n + 0 : undefined
}
const readFlag = (v) =>
  typeof v === 'boolean' ? v : v === 'true' || v === '1' ? true : v === 'false' || v === '0' ? false : undefined
const readChoice = (v) => (v === 1 || v === '1' ? 1 : v === 2 || v === '2' ? 2 : undefined)
const readText = (v) => (typeof v === 'string' && v !== '' ? v : undefined)
/** `[name, field, value as JSON, by hand as JSON, its text, by hand as text]` */
export const unions = [
  [
    'flag or text',
    either([flag(), text()]),
    true,
    (v) => (typeof v === 'boolean' ? v : readText(v)),
    'x',
    (v) => readFlag(v) ?? readText(v),
  ],
  [
    'integer or text',
    either([integer(), text()]),
    'x',
    (v) => (isWhole(v) ? v + 0 : readText(v)),
    '12',
    (v) => readWhole(v) ?? readText(v),
  ],
  [
    'number or decimal',
    either([number(), decimal()]),
    '1.50',
    (v) => (Number.isFinite(v) ? v + 0 : typeof v === 'string' && decimalText.test(v) ? v : undefined),
    '1.50',
    (v) => readNumber(v) ?? (typeof v === 'string' && decimalText.test(v) ? v : undefined),
  ],
  [
    'choice or text',
    either([choice([1, 2]), text()]),
    'x',
    (v) => (v === 1 || v === 2 ? v : readText(v)),
    '2',
    (v) => readChoice(v) ?? readText(v),
  ],
  [
    'day or integer',
    either([day(), integer()]),
    '2031-03-03',
    (v) => (typeof v === 'string' && typeof readDay(v) === 'number' ? v : isWhole(v) ? v + 0 : undefined),
    '41',
    (v) => (typeof v === 'string' && typeof readDay(v) === 'number' ? v : readWhole(v)),
  ],
]
function structured(value) {
  if (Array.isArray(value)) return value.map(structured)
  if (typeof value !== 'object' || value === null) return value
  const copy = {}
  for (const name of Object.keys(value)) copy[name] = structured(value[name])
  return copy
}
export const kindNames = Array.from({ length: 20 }, (_, n) => `v${n}`)
/** A record of twenty fields of one kind, by hand: written out, as it would be. */
export const kindByHand = (read, part = 'body') =>
  new Function(
    'read',
    'isObject',
    'countNames',
    `return (body) => {
      if (!isObject(body)) return { errors: [{ address: '${part}', code: 'wrong_type' }] }
      let errors
      ${kindNames
        .map(
          (name) => `const ${name} = read(body.${name})
      if (${name} === undefined) (errors ??= []).push({ address: '${part}.${name}', code: 'wrong' })`,
        )
        .join('\n')}
      if (countNames(body) !== ${kindNames.length}) (errors ??= []).push({ address: '${part}', code: 'unlisted' })
      if (errors) return { errors }
      return { input: { path: {}, query: {}, header: {}, cookie: {}, ${part}: { ${kindNames.join(', ')} } } }
    }`,
  )(read, isObject, countNames)

// Each rule, over a body that is checked and copied besides.

const o = { optional: true }
const row = record({
  n: integer(),
  m: integer(),
  k: text(),
  at: instant(),
  to: instant(),
  price: decimal(),
  note: text(o),
})
export const ruledBody = record({
  a: integer(),
  b: integer(),
  from: day(),
  until: day(),
  x: text(o),
  y: text(o),
  rows: list(row),
})
export const ruledRows = (count) => ({
  a: 1,
  b: 2,
  from: '2031-03-01',
  until: '2031-03-05',
  x: 'x',
  rows: Array.from({ length: count }, (_, n) => ({
    n,
    m: 2,
    k: `k${n}`,
    at: new Date(now + 2 * n * hour).toISOString(),
    to: new Date(now + (2 * n + 1) * hour).toISOString(),
    price: '1.50',
    note: 'x',
  })),
})
/** The body alone, checked and copied by hand; then a rule by hand. */
export const ruledByHand = (rule) => (body) => {
  const errors = new Errors()
  if (!isObject(body) || !Array.isArray(body.rows)) return { errors: [{ address: 'body', code: 'wrong_type' }] }
  const { a, b, from, until, x, y, rows } = body
  if (!Number.isSafeInteger(a)) errors.tell('body.a', 'wrong_type')
  if (!Number.isSafeInteger(b)) errors.tell('body.b', 'wrong_type')
  if (typeof from !== 'string' || typeof readDay(from) !== 'number') errors.tell('body.from', 'wrong_format')
  if (typeof until !== 'string' || typeof readDay(until) !== 'number') errors.tell('body.until', 'wrong_format')
  if (x !== undefined && typeof x !== 'string') errors.tell('body.x', 'wrong_type')
  if (y !== undefined && typeof y !== 'string') errors.tell('body.y', 'wrong_type')
  const read = []
  for (let i = 0; i < rows.length; i++) {
    const one = rows[i]
    if (!isObject(one)) {
      errors.tell(`body.rows[${i}]`, 'wrong_type')
      continue
    }
    const { n, m, k, price, note } = one
    if (!Number.isSafeInteger(n)) errors.tell(`body.rows[${i}].n`, 'wrong_type')
    if (!Number.isSafeInteger(m)) errors.tell(`body.rows[${i}].m`, 'wrong_type')
    if (typeof k !== 'string') errors.tell(`body.rows[${i}].k`, 'wrong_type')
    const at = typeof one.at === 'string' ? readInstant(one.at) : 'wrong_type'
    if (typeof at !== 'number') errors.tell(`body.rows[${i}].at`, at)
    const to = typeof one.to === 'string' ? readInstant(one.to) : 'wrong_type'
    if (typeof to !== 'number') errors.tell(`body.rows[${i}].to`, to)
    if (typeof price !== 'string' || !decimalText.test(price)) errors.tell(`body.rows[${i}].price`, 'wrong_type')
    if (note !== undefined && typeof note !== 'string') errors.tell(`body.rows[${i}].note`, 'wrong_type')
    if (countNames(one) !== (note === undefined ? 6 : 7))
      refuseNames(errors, one, new Set(['n', 'm', 'k', 'at', 'to', 'price', 'note']), `body.rows[${i}]`)
    const made = { n: n + 0, m: m + 0, k, at: new Date(at), to: new Date(to), price }
    if (note !== undefined) made.note = note
    read.push(made)
  }
  let optional = 0
  if (x !== undefined) optional++
  if (y !== undefined) optional++
  if (countNames(body) !== 5 + optional)
    refuseNames(errors, body, new Set(['a', 'b', 'from', 'until', 'x', 'y', 'rows']), 'body')
  if (errors.all) return { errors: errors.all }
  const input = { a: a + 0, b: b + 0, from, until }
  if (x !== undefined) input.x = x
  if (y !== undefined) input.y = y
  input.rows = read
  rule(input, errors)
  if (errors.all) return { errors: errors.all }
  return { input: { path: {}, query: {}, header: {}, cookie: {}, body: input } }
}
const eachRow = (holds, code) => (body, errors) => {
  for (let i = 0; i < body.rows.length; i++) if (!holds(body.rows[i])) errors.tell(`body.rows[${i}]`, code)
}
/** `[name, rules, by hand]` */
const everyDay = Object.fromEntries(
  ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'].map((one) => [
    one,
    [
      ['00:00', '12:00'],
      ['12:00', '24:00'],
    ],
  ]),
)
const dayHours = Array.from({ length: 7 }, () => [
  [0, 720],
  [720, 1440],
])
export const rules = [
  ['none', () => [], () => undefined],
  [
    'ascending',
    (on) => [on.ascending('body.rows[].at', 'body.rows[].to')],
    eachRow(({ at, to }) => at < to, 'out_of_order'),
  ],
  [
    'equal',
    (on) => [on.equal('body.x', 'body.y')],
    ({ x, y }, errors) => {
      if (x !== undefined && y !== undefined && x !== y) errors.tell('body.y', 'unequal')
    },
  ],
  [
    'differ',
    (on) => [on.differ('body.rows[].n', 'body.a', { blames: ['body.rows[].n'] })],
    ({ a, rows }, errors) => {
      for (let i = 0; i < rows.length; i++)
        if (rows[i].n === a + 1e9) errors.tell(`body.rows[${i}].n`, 'equal_not_allowed')
    },
    (body) => ({ ...body, a: 1e9 }),
  ],
  [
    'together',
    (on) => [on.together('body.rows[].note', 'body.rows[].k')],
    eachRow(({ note, k }) => (note === undefined) === (k === undefined), 'not_together'),
  ],
  [
    'exactlyOne',
    (on) => [on.exactlyOne('body.x', 'body.y')],
    ({ x, y }, errors) => {
      if ((x === undefined) === (y === undefined)) errors.tell('body', 'more_than_one')
    },
  ],
  [
    'atLeastOne',
    (on) => [on.atLeastOne('body.x', 'body.y')],
    ({ x, y }, errors) => {
      if (x === undefined && y === undefined) errors.tell('body', 'none_present')
    },
  ],
  [
    'atMostOne',
    (on) => [on.atMostOne('body.x', 'body.y')],
    ({ x, y }, errors) => {
      if (x !== undefined && y !== undefined) errors.tell('body', 'more_than_one')
    },
  ],
  [
    'needed',
    (on) => [on.needed('body.rows[].note', on.above('body.rows[].m', 1))],
    eachRow(({ note, m }) => note !== undefined || !(m > 1), 'needed'),
  ],
  [
    'absent',
    (on) => [on.absent('body.rows[].note', on.is('body.rows[].k', 'none'))],
    eachRow(({ note, k }) => note === undefined || k !== 'none', 'not_allowed_here'),
  ],
  [
    'sumWithin',
    (on) => [on.sumWithin('body.rows[].n', { times: 'body.rows[].m', atMost: 1e12 })],
    ({ rows }, errors) => {
      let sum = 0
      for (const { n, m } of rows) sum += n * m
      if (sum > 1e12) errors.tell('body.rows', 'above_max')
    },
  ],
  [
    'sumWithin, decimals',
    (on) => [on.sumWithin('body.rows[].price', { atMost: '1000000' })],
    ({ rows }, errors) => {
      let sum = 0n
      for (const { price } of rows) {
        const [whole, part = ''] = price.split('.')
        sum += BigInt(whole + part.padEnd(4, '0').slice(0, 4))
      }
      if (sum > 10_000_000_000n) errors.tell('body.rows', 'above_max')
    },
  ],
  [
    'sumWithin, decimals times',
    (on) => [on.sumWithin('body.rows[].price', { times: 'body.rows[].m', atMost: '1000000' })],
    ({ rows }, errors) => {
      let sum = 0n
      for (const { price, m } of rows) {
        const [whole, part = ''] = price.split('.')
        sum += BigInt(whole + part.padEnd(4, '0').slice(0, 4)) * BigInt(m)
      }
      if (sum > 10_000_000_000n) errors.tell('body.rows', 'above_max')
    },
  ],
  [
    'needed, not above other',
    (on) => [on.needed('body.rows[].note', on.not(on.above('body.rows[].n', on.other('body.rows[].m'))))],
    eachRow(({ n, m, note }) => note !== undefined || n > m, 'needed'),
  ],
  [
    'inOrder',
    (on) => [on.inOrder('body.rows[].at')],
    ({ rows }, errors) => {
      for (let i = 1; i < rows.length; i++)
        if (rows[i].at <= rows[i - 1].at) errors.tell(`body.rows[${i}].at`, 'out_of_order')
    },
  ],
  [
    'distinct',
    (on) => [on.distinct('body.rows[].k', 'body.rows[].n')],
    ({ rows }, errors) => {
      const seen = new Set()
      for (let i = 0; i < rows.length; i++) {
        const key = `${rows[i].k} ${rows[i].n}`
        if (seen.has(key)) errors.tell(`body.rows[${i}]`, 'repeated')
        seen.add(key)
      }
    },
  ],
  [
    'sumWithin, several terms, rounded',
    (on) => [
      on.sumWithin([['body.rows[].price', 'body.rows[].m'], 'body.rows[].price'], {
        less: ['body.rows[].price'],
        rounded: 1,
        atMost: 1e9,
      }),
    ],
    ({ rows }, errors) => {
      let sum = 0n
      const scaled = (price) => {
        const [whole, part = ''] = price.split('.')
        return BigInt(whole + part.padEnd(4, '0').slice(0, 4))
      }
      for (const { price, m } of rows) {
        const product = scaled(price) * BigInt(m)
        const [size, sign] = product < 0n ? [-product, -1n] : [product, 1n]
        sum += sign * ((size + 500n) / 1000n) * 1000n + scaled(price)
      }
      for (const { price } of rows) sum -= scaled(price)
      if (sum > 10_000_000_000n) errors.tell('body.rows', 'above_max')
    },
  ],
  [
    'sumWithin, by',
    (on) => [on.sumWithin('body.rows[].n', { atMost: 1e9, by: ['body.rows[].m', 'body.rows[].note'] })],
    ({ rows }, errors) => {
      const sums = new Map()
      for (const { m, note, n } of rows) {
        const key = `${m} ${note === undefined ? '-' : `${note.length}:${note}`}`
        sums.set(key, (sums.get(key) ?? 0) + n)
      }
      for (const sum of sums.values()) if (sum > 1e9) errors.tell('body.rows', 'above_max')
    },
  ],
  [
    'count, where',
    (on) => [on.count('body.rows[]', { where: on.is('body.rows[].m', 2), atLeast: 1 })],
    ({ rows }, errors) => {
      let count = 0
      for (const { m } of rows) if (m === 2) count++
      if (count < 1) errors.tell('body.rows', 'too_few')
    },
  ],
  [
    'count, by',
    (on) => [on.count('body.rows[]', { by: ['body.rows[].k'], atMost: 1 })],
    ({ rows }, errors) => {
      const counts = new Map()
      for (const { k } of rows) counts.set(k, (counts.get(k) ?? 0) + 1)
      for (const count of counts.values()) if (count > 1) errors.tell('body.rows', 'too_many')
    },
  ],
  [
    'distinct, by',
    (on) => [on.distinct('body.rows[].k', { by: ['body.rows[].m'] })],
    ({ rows }, errors) => {
      const groups = new Map()
      for (let i = 0; i < rows.length; i++) {
        const { k, m } = rows[i]
        const seen = groups.get(m) ?? new Set()
        groups.set(m, seen)
        if (seen.has(k)) errors.tell(`body.rows[${i}]`, 'repeated')
        seen.add(k)
      }
    },
  ],
  [
    'inOrder, by',
    (on) => [on.inOrder('body.rows[].at', { by: ['body.rows[].k'] })],
    ({ rows }, errors) => {
      const last = new Map()
      for (let i = 0; i < rows.length; i++) {
        const { k, at } = rows[i]
        if (at <= last.get(k)) errors.tell(`body.rows[${i}].at`, 'out_of_order')
        last.set(k, at)
      }
    },
  ],
  [
    'apart, by',
    (on) => [on.apart('body.rows[].at', 'body.rows[].to', { by: ['body.rows[].m'] })],
    ({ rows }, errors) => {
      const groups = new Map()
      for (let index = 0; index < rows.length; index++) {
        const { at, to, m } = rows[index]
        const known = groups.get(m)
        if (known) known.push({ at, to, index })
        else groups.set(m, [{ at, to, index }])
      }
      for (const spans of groups.values()) {
        spans.sort((a, b) => a.at - b.at)
        for (let i = 1; i < spans.length; i++)
          if (spans[i].at < spans[i - 1].to) errors.tell(`body.rows[${spans[i].index}]`, 'overlaps')
      }
    },
  ],
  [
    'among',
    (on) => [on.among('body.rows[].m', 'body.rows[].n')],
    ({ rows }, errors) => {
      const known = new Set()
      for (const { n } of rows) known.add(n)
      for (let i = 0; i < rows.length; i++) if (!known.has(rows[i].m)) errors.tell(`body.rows[${i}].m`, 'not_among')
    },
    (body) => ({ ...body, rows: body.rows.map((row) => ({ ...row, m: row.n })) }),
  ],
  [
    'acyclic',
    (on) => [on.acyclic('body.rows[].k', 'body.rows[].note')],
    ({ rows }, errors) => {
      const next = new Map()
      for (let i = 0; i < rows.length; i++) {
        const { k, note } = rows[i]
        if (note === undefined) continue
        const known = next.get(k)
        if (known) known.push([note, i])
        else next.set(k, [[note, i]])
      }
      // 1: on the way, 2: done
      const seen = new Map()
      for (const start of next.keys()) {
        if (seen.has(start)) continue
        const way = [[start, 0]]
        seen.set(start, 1)
        while (way.length > 0) {
          const last = way[way.length - 1]
          const found = next.get(last[0])?.[last[1]++]
          if (!found) {
            seen.set(last[0], 2)
            way.pop()
          } else if (seen.get(found[0]) === 1) errors.tell(`body.rows[${found[1]}].note`, 'in_a_cycle')
          else if (!seen.has(found[0])) {
            seen.set(found[0], 1)
            way.push([found[0], 0])
          }
        }
      }
    },
  ],
  [
    'apart',
    (on) => [on.apart('body.rows[].at', 'body.rows[].to')],
    ({ rows }, errors) => {
      const sorted = rows.map(({ at, to }, index) => ({ at, to, index })).sort((a, b) => a.at - b.at)
      for (let i = 1; i < sorted.length; i++)
        if (sorted[i].at < sorted[i - 1].to) errors.tell(`body.rows[${sorted[i].index}]`, 'overlaps')
    },
  ],
  [
    'apart, seamless',
    (on) => [on.apart('body.rows[].at', 'body.rows[].to', { seamless: true })],
    ({ rows }, errors) => {
      const order = rows.map((_, index) => index).sort((x, y) => rows[x].at - rows[y].at)
      for (let i = 1; i < order.length; i++)
        if (rows[order[i - 1]].to - rows[order[i]].at !== 0) errors.tell(`body.rows[${order[i]}]`, 'too_far')
    },
    (body) => ({
      ...body,
      rows: body.rows.map((row, n) => ({ ...row, to: new Date(now + 2 * (n + 1) * hour).toISOString() })),
    }),
  ],
  [
    'equal, by index',
    (on) => [on.equal('body.rows[0].m', 'body.rows[-1].m')],
    ({ rows }, errors) => {
      if (rows.length > 0 && rows[0].m !== rows.at(-1).m) errors.tell(`body.rows[${rows.length - 1}].m`, 'unequal')
    },
  ],
  [
    // One element breaks it: the request goes on, and what was found is kept for the journal.
    'ascending, observed',
    (on) => [on.ascending('body.rows[].at', 'body.rows[].to', { mode: 'observe' })],
    ({ rows }) => {
      let observed
      for (let i = 0; i < rows.length; i++)
        if (!(rows[i].at < rows[i].to)) {
          observed ??= []
          observed.push({ address: `body.rows[${i}].to`, code: 'out_of_order' })
        }
      return observed
    },
    (body) => ({ ...body, rows: body.rows.with(0, { ...body.rows[0], to: body.rows[0].at }) }),
  ],
  [
    'apart, rest',
    (on) => [on.apart('body.rows[].at', 'body.rows[].to', { rest: '30m' })],
    ({ rows }, errors) => {
      const sorted = rows.map(({ at, to }, index) => ({ at, to, index })).sort((a, b) => a.at - b.at)
      for (let i = 1; i < sorted.length; i++)
        if (sorted[i].at - sorted[i - 1].to < hour / 2) errors.tell(`body.rows[${sorted[i].index}]`, 'too_close')
    },
  ],
  [
    'gap of as many as are sent',
    (on) => [on.gap('body.rows[].at', 'body.rows[].to', { exactly: 'body.a', in: 'h' })],
    ({ a, rows }, errors) => {
      for (let i = 0; i < rows.length; i++)
        if (rows[i].to - rows[i].at !== a * hour) errors.tell(`body.rows[${i}].to`, 'too_far')
    },
  ],
  [
    'openAt',
    (on) => [on.openAt('body.rows[].at', { zone: 'UTC', hours: everyDay })],
    ({ rows }, errors) => {
      for (let i = 0; i < rows.length; i++) {
        const at = new Date(rows[i].at)
        const minutes = at.getUTCHours() * 60 + at.getUTCMinutes()
        const isOpen = dayHours[at.getUTCDay()].some(([from, until]) => minutes >= from && minutes < until)
        if (!isOpen) errors.tell(`body.rows[${i}].at`, 'closed_then')
      }
    },
  ],
  [
    'gap',
    (on) => [on.gap('body.from', 'body.until', { atMost: '14d' })],
    ({ from, until }, errors) => {
      if (readDay(until) - readDay(from) > 14 * 24 * hour) errors.tell('body.until', 'too_far')
    },
  ],
  [
    'while, fits',
    (on) => [on.while(on.above('body.rows[].m', 1), [on.fits('body.rows[].n', integer({ max: 1e6 }))])],
    eachRow(({ m, n }) => !(m > 1) || n <= 1e6, 'above_max'),
  ],
  [
    'check',
    (on) => [on.check({ reads: ['body.rows'], code: 'x', holds: (rows) => rows.length < 1e6 })],
    ({ rows }, errors) => {
      if (rows.length >= 1e6) errors.tell('body.rows', 'x')
    },
  ],
  [
    'find',
    (on) => [
      on.find({
        reads: ['body.rows[].n'],
        code: 'x',
        finds: (all) => all.flatMap((n, i) => (n < 0 ? [{ at: `body.rows[${i}]` }] : [])),
      }),
    ],
    ({ rows }, errors) => {
      for (const [i, n] of rows.map((one) => one.n).entries()) if (n < 0) errors.tell(`body.rows[${i}]`, 'x')
    },
  ],
  [
    'fill',
    (on) => [on.fill('body.y', ['body.a'], (a) => `y${a}`)],
    (body) => {
      if (body.y === undefined) body.y = `y${body.a}`
    },
  ],
]

/** A booking whose values stay JSON, as a schema has them; of 0.7 kB. */
export const jsonBooking = {
  field: record({
    target: record({
      name: text({ length: [1, 80] }),
      rightAscension: number({ min: 0, below: 24 }),
      declination: number({ min: -90, max: 90 }),
    }),
    window: record({ opens: text({ format: 'date-time' }), closes: text({ format: 'date-time' }) }),
    contact: text({ format: 'email' }),
    priority: choice(['low', 'normal', 'high']),
    exposures: list(
      record({
        filter: choice(['clear', 'red', 'green', 'blue']),
        seconds: integer({ min: 1, max: 3600 }),
        count: integer({ min: 1, max: 100 }),
      }),
      { length: [1, 20] },
    ),
    note: text({ length: [0, 500], optional: true }),
  }),
  value: {
    target: { name: 'Heron Cluster', rightAscension: 12.5, declination: -30.25 },
    window: { opens: '2031-03-01T22:30:00Z', closes: '2031-03-02T02:30:00Z' },
    contact: 'ada@example.org',
    priority: 'normal',
    exposures: Array.from({ length: 12 }, (_, index) => ({
      filter: ['clear', 'red', 'green', 'blue'][index % 4],
      seconds: 60 + index,
      count: 3,
    })),
    note: 'Clouds are fine.',
  },
}

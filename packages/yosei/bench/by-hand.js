/**
 * The same checks as the reference endpoints', as their author would write them for production: one pass that checks
 * every limit, tells every error at its address, refuses unlisted names, and copies. The input has the parts that a
 * handler gets of such an endpoint. Formats are the library's own, so
 * that both sides read the same dates and addresses; a test holds that both take and refuse the same.
 */
import { codePoints, formats, readInstant } from '../dist/internals.js'

const isObject = (value) => typeof value === 'object' && value !== null && !Array.isArray(value)
const isEmail = (value) => formats.email.check(value) === undefined

/** What a handler gets: the parts of the request. */
const accept = (body) => ({ input: { path: {}, query: {}, header: {}, cookie: {}, body } })

function tell(errors, address, code) {
  if (errors) errors.push({ address, code })
  else errors = [{ address, code }]
  return errors
}

function wrongText(value, least, most) {
  if (value === undefined) return 'missing'
  if (value === null) return 'null_not_allowed'
  if (typeof value !== 'string') return 'wrong_type'
  if (value.length < least || (value.length < 2 * least && codePoints(value) < least)) return 'too_short'
  if (value.length > most && codePoints(value) > most) return 'too_long'
  return undefined
}

function wrongNumber(value) {
  if (value === undefined) return 'missing'
  if (value === null) return 'null_not_allowed'
  return typeof value === 'number' ? 'out_of_range' : 'wrong_type'
}

function wrongInteger(value, min, max) {
  if (typeof value !== 'number') return wrongNumber(value)
  if (!Number.isFinite(value) || Math.abs(value) > Number.MAX_SAFE_INTEGER) return 'out_of_range'
  if (!Number.isInteger(value)) return 'not_whole'
  return value < min ? 'below_min' : value > max ? 'above_max' : undefined
}

function wrongInstant(value) {
  if (value === undefined) return 'missing'
  if (value === null) return 'null_not_allowed'
  return typeof value === 'string' ? readInstant(value) : 'wrong_type'
}

function wrongChoice(value) {
  if (value === undefined) return 'missing'
  if (value === null) return 'null_not_allowed'
  return typeof value === 'string' ? 'not_a_choice' : 'wrong_type'
}

function wrongObject(value) {
  if (value === undefined) return 'missing'
  return value === null ? 'null_not_allowed' : 'wrong_type'
}

function tellUnlisted(errors, value, declared, prefix) {
  for (const name of Object.keys(value)) if (!declared.has(name)) errors = tell(errors, `${prefix}.${name}`, 'unlisted')
  return errors
}

const early = Date.UTC(2001, 0, 1)
const reportNames = new Set(['station', 'observed', 'sky', 'cloud', 'humidity', 'wind', 'domeOpen', 'note'])

export function checkReport(body) {
  if (!isObject(body)) return { errors: [{ address: 'body', code: wrongObject(body) }] }
  let errors
  const { station, observed, sky, cloud, humidity, wind, domeOpen, note } = body
  if (typeof station !== 'string' || station.length < 4 || station.length > 40) {
    const code = wrongText(station, 2, 40)
    if (code !== undefined) errors = tell(errors, 'body.station', code)
  }
  const time = wrongInstant(observed)
  if (typeof time !== 'number') errors = tell(errors, 'body.observed', time)
  else if (time < early) errors = tell(errors, 'body.observed', 'too_early')
  if (sky !== 'clear' && sky !== 'thin' && sky !== 'broken' && sky !== 'overcast')
    errors = tell(errors, 'body.sky', wrongChoice(sky))
  if (typeof cloud !== 'number' || !(cloud >= 0 && cloud <= 1))
    errors = tell(
      errors,
      'body.cloud',
      !Number.isFinite(cloud) ? wrongNumber(cloud) : cloud < 0 ? 'below_min' : 'above_max',
    )
  if (!Number.isSafeInteger(humidity) || humidity < 0 || humidity > 100)
    errors = tell(errors, 'body.humidity', wrongInteger(humidity, 0, 100))
  if (typeof wind !== 'number' || !(wind >= 0 && wind < 150))
    errors = tell(
      errors,
      'body.wind',
      !Number.isFinite(wind) ? wrongNumber(wind) : wind < 0 ? 'below_min' : 'above_max',
    )
  if (domeOpen !== true && domeOpen !== false) errors = tell(errors, 'body.domeOpen', wrongObject(domeOpen))
  if (note !== undefined && (typeof note !== 'string' || note.length > 200)) {
    const code = wrongText(note, 0, 200)
    if (code !== undefined) errors = tell(errors, 'body.note', code)
  }
  let count = 0
  for (const _ in body) count++
  if (count !== (note === undefined ? 7 : 8) || errors) errors = tellUnlisted(errors, body, reportNames, 'body')
  if (errors) return { errors }
  const input = {
    station,
    observed: new Date(time),
    sky,
    cloud: cloud + 0,
    humidity: humidity + 0,
    wind: wind + 0,
    domeOpen,
  }
  if (note !== undefined) input.note = note
  return accept(input)
}

const bookingNames = new Set(['target', 'window', 'exposures', 'contact', 'note'])
const targetNames = new Set(['name', 'rightAscension', 'declination'])
const windowNames = new Set(['opens', 'closes'])
const exposureNames = new Set(['filter', 'seconds', 'count'])

export function checkBooking(body) {
  if (!isObject(body)) return { errors: [{ address: 'body', code: wrongObject(body) }] }
  let errors
  const { target, window, exposures, contact, note } = body
  let readTarget
  if (isObject(target)) {
    const { rightAscension, declination } = target
    const name = typeof target.name === 'string' ? target.name.trim() : target.name
    const code = wrongText(name, 1, 80)
    if (code !== undefined) errors = tell(errors, 'body.target.name', code)
    if (typeof rightAscension !== 'number' || !(rightAscension >= 0 && rightAscension < 24)) {
      errors = tell(
        errors,
        'body.target.rightAscension',
        !Number.isFinite(rightAscension) ? wrongNumber(rightAscension) : rightAscension < 0 ? 'below_min' : 'above_max',
      )
    }
    if (typeof declination !== 'number' || !(declination >= -90 && declination <= 90)) {
      errors = tell(
        errors,
        'body.target.declination',
        !Number.isFinite(declination) ? wrongNumber(declination) : declination < -90 ? 'below_min' : 'above_max',
      )
    }
    let count = 0
    for (const _ in target) count++
    if (count !== 3 || errors) errors = tellUnlisted(errors, target, targetNames, 'body.target')
    readTarget = { name, rightAscension: rightAscension + 0, declination: declination + 0 }
  } else errors = tell(errors, 'body.target', wrongObject(target))
  let readWindow
  if (isObject(window)) {
    const opens = wrongInstant(window.opens)
    if (typeof opens !== 'number') errors = tell(errors, 'body.window.opens', opens)
    else if (opens < early) errors = tell(errors, 'body.window.opens', 'too_early')
    const closes = wrongInstant(window.closes)
    if (typeof closes !== 'number') errors = tell(errors, 'body.window.closes', closes)
    let count = 0
    for (const _ in window) count++
    if (count !== 2 || errors) errors = tellUnlisted(errors, window, windowNames, 'body.window')
    readWindow = { opens: new Date(opens), closes: new Date(closes) }
  } else errors = tell(errors, 'body.window', wrongObject(window))
  let readExposures
  if (Array.isArray(exposures)) {
    const { length } = exposures
    if (length < 1) errors = tell(errors, 'body.exposures', 'too_few')
    if (length > 12) errors = tell(errors, 'body.exposures', 'too_many')
    readExposures = []
    for (let i = 0; i < length; i++) {
      const exposure = exposures[i]
      if (!isObject(exposure)) {
        errors = tell(errors, `body.exposures[${i}]`, wrongObject(exposure))
        continue
      }
      const { filter, seconds, count } = exposure
      if (filter !== 'clear' && filter !== 'red' && filter !== 'green' && filter !== 'blue')
        errors = tell(errors, `body.exposures[${i}].filter`, wrongChoice(filter))
      if (typeof seconds !== 'number' || !(seconds > 0 && seconds <= 3600)) {
        errors = tell(
          errors,
          `body.exposures[${i}].seconds`,
          !Number.isFinite(seconds) ? wrongNumber(seconds) : seconds <= 0 ? 'below_min' : 'above_max',
        )
      }
      if (!Number.isSafeInteger(count) || count < 1 || count > 500)
        errors = tell(errors, `body.exposures[${i}].count`, wrongInteger(count, 1, 500))
      let names = 0
      for (const _ in exposure) names++
      if (names !== 3 || errors) errors = tellUnlisted(errors, exposure, exposureNames, `body.exposures[${i}]`)
      readExposures.push({ filter, seconds, count })
    }
  } else errors = tell(errors, 'body.exposures', wrongObject(exposures))
  if (typeof contact !== 'string') errors = tell(errors, 'body.contact', wrongObject(contact))
  else if (!isEmail(contact)) errors = tell(errors, 'body.contact', 'wrong_format')
  if (note !== undefined && note !== null) {
    const code = wrongText(note, 0, 500)
    if (code !== undefined) errors = tell(errors, 'body.note', code)
  }
  let count = 0
  for (const _ in body) count++
  if (count !== (note === undefined ? 4 : 5) || errors) errors = tellUnlisted(errors, body, bookingNames, 'body')
  if (errors) return { errors }
  const input = { target: readTarget, window: readWindow, exposures: readExposures, contact }
  if (note !== undefined) input.note = note
  return accept(input)
}

const catalogueNames = new Set(['title', 'made', 'targets'])
const entryNames = new Set(['name', 'kind', 'place', 'magnitude', 'filters', 'seen', 'public'])
const placeNames = new Set(['rightAscension', 'declination'])

export function checkCatalogue(body) {
  if (!isObject(body)) return { errors: [{ address: 'body', code: wrongObject(body) }] }
  let errors
  const { title, targets } = body
  const titleCode = wrongText(title, 1, 80)
  if (titleCode !== undefined) errors = tell(errors, 'body.title', titleCode)
  const made = wrongInstant(body.made)
  if (typeof made !== 'number') errors = tell(errors, 'body.made', made)
  let readTargets
  if (Array.isArray(targets)) {
    const { length } = targets
    if (length < 1) errors = tell(errors, 'body.targets', 'too_few')
    if (length > 500) errors = tell(errors, 'body.targets', 'too_many')
    readTargets = []
    for (let i = 0; i < length; i++) {
      const entry = targets[i]
      if (!isObject(entry)) {
        errors = tell(errors, `body.targets[${i}]`, wrongObject(entry))
        continue
      }
      const { name, kind, place, magnitude, filters, seen } = entry
      if (typeof name !== 'string' || name.length < 1 || name.length > 80) {
        const code = wrongText(name, 1, 80)
        if (code !== undefined) errors = tell(errors, `body.targets[${i}].name`, code)
      }
      if (kind !== 'star' && kind !== 'cluster' && kind !== 'nebula' && kind !== 'galaxy')
        errors = tell(errors, `body.targets[${i}].kind`, wrongChoice(kind))
      let readPlace
      if (isObject(place)) {
        const { rightAscension, declination } = place
        if (typeof rightAscension !== 'number' || !(rightAscension >= 0 && rightAscension < 24)) {
          errors = tell(
            errors,
            `body.targets[${i}].place.rightAscension`,
            !Number.isFinite(rightAscension)
              ? wrongNumber(rightAscension)
              : rightAscension < 0
                ? 'below_min'
                : 'above_max',
          )
        }
        if (typeof declination !== 'number' || !(declination >= -90 && declination <= 90)) {
          errors = tell(
            errors,
            `body.targets[${i}].place.declination`,
            !Number.isFinite(declination) ? wrongNumber(declination) : declination < -90 ? 'below_min' : 'above_max',
          )
        }
        let names = 0
        for (const _ in place) names++
        if (names !== 2 || errors) errors = tellUnlisted(errors, place, placeNames, `body.targets[${i}].place`)
        readPlace = { rightAscension: rightAscension + 0, declination: declination + 0 }
      } else errors = tell(errors, `body.targets[${i}].place`, wrongObject(place))
      if (typeof magnitude !== 'number' || !(magnitude >= -30 && magnitude <= 40)) {
        errors = tell(
          errors,
          `body.targets[${i}].magnitude`,
          !Number.isFinite(magnitude) ? wrongNumber(magnitude) : magnitude < -30 ? 'below_min' : 'above_max',
        )
      }
      let readFilters
      if (Array.isArray(filters)) {
        if (filters.length > 6) errors = tell(errors, `body.targets[${i}].filters`, 'too_many')
        readFilters = []
        for (let j = 0; j < filters.length; j++) {
          const filter = filters[j]
          if (typeof filter !== 'string' || filter.length < 1 || filter.length > 10) {
            const code = wrongText(filter, 1, 10)
            if (code !== undefined) errors = tell(errors, `body.targets[${i}].filters[${j}]`, code)
          }
          readFilters.push(filter)
        }
      } else errors = tell(errors, `body.targets[${i}].filters`, wrongObject(filters))
      let time
      if (seen !== undefined) {
        time = wrongInstant(seen)
        if (typeof time !== 'number') errors = tell(errors, `body.targets[${i}].seen`, time)
      }
      if (entry.public !== true && entry.public !== false)
        errors = tell(errors, `body.targets[${i}].public`, wrongObject(entry.public))
      let names = 0
      for (const _ in entry) names++
      if (names !== (seen === undefined ? 6 : 7) || errors)
        errors = tellUnlisted(errors, entry, entryNames, `body.targets[${i}]`)
      const read = { name, kind, place: readPlace, magnitude: magnitude + 0, filters: readFilters }
      if (seen !== undefined) read.seen = new Date(time)
      read.public = entry.public
      readTargets.push(read)
    }
  } else errors = tell(errors, 'body.targets', wrongObject(targets))
  let count = 0
  for (const _ in body) count++
  if (count !== 3 || errors) errors = tellUnlisted(errors, body, catalogueNames, 'body')
  return errors ? { errors } : accept({ title, made: new Date(made), targets: readTargets })
}

/** In the order of the cases. */
export const byHand = [checkReport, checkBooking, checkCatalogue]

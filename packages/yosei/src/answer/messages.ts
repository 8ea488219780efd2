/**
 * The words of errors. Each completes the sentence that the address begins: “query.limit *must be at most 50*”.
 * A catalogue has a text for each code, or for a code and its variant (`wrong_type.flag`), with places for what
 * failed: `{limit}`, and `{limit|character|characters}` for the word that goes with one or with more.
 */

import { type Fault, Unshown } from '../compile/run.js'
import { writeInstant } from '../compile/times.js'

export type Catalogue = { readonly [code: string]: string }

const english: Catalogue = {
  sent: '{message}; {sent} was sent',
  'sent.list': 'a list',
  'sent.object': 'an object',
  'sent.null': 'null',
  'sent.string': 'text',
  'sent.number': 'a number',
  'sent.boolean': 'true or false',
  missing: 'must be sent',
  'missing.elsewhere': 'must be sent here; it came as {elsewhere}',
  null_not_allowed: 'must not be null',
  undeclared: 'is not known here',
  'undeclared.near': 'is not known here; {nearest} is',
  'undeclared.body': 'must be empty: this endpoint takes no body',
  read_only: 'is set by the server and must not be sent',
  wrong_type: 'must be of another type',
  'wrong_type.text': 'must be text',
  'wrong_type.integer': 'must be a whole number',
  'wrong_type.number': 'must be a number',
  'wrong_type.bigInteger': 'must be a whole number',
  'wrong_type.decimal': 'must be a decimal number as text, such as "12.50"',
  'wrong_type.flag': 'must be true or false',
  'wrong_type.instant': 'must be a date and time as text, such as 2031-03-01T22:30:00Z',
  'wrong_type.day': 'must be a date as text, such as 2031-03-01',
  'wrong_type.duration': 'must be a duration as text, such as PT1H30M',
  'wrong_type.choice': 'must be one of {limit}',
  'wrong_type.constant': 'must be {limit}',
  'wrong_type.list': 'must be a list',
  'wrong_type.tuple': 'must be a list',
  'wrong_type.record': 'must be an object',
  'wrong_type.table': 'must be an object',
  'wrong_type.tagged': 'must be an object',
  not_whole: 'must be a whole number',
  out_of_range: 'must be a whole number of at most 9007199254740991 in size',
  'out_of_range.number': 'must be a number that is not that large',
  'out_of_range.bigInteger': 'must be sent as text, since a number of this size has lost digits',
  'out_of_range.digits': 'must have at most {limit} digits',
  'out_of_range.duration': 'must be shorter',
  below_min: 'must be at least {limit}',
  'below_min.above': 'must be more than {limit}',
  above_max: 'must be at most {limit}',
  'above_max.below': 'must be less than {limit}',
  not_a_step: 'must be a multiple of {limit}',
  too_short: 'must have at least {limit} {limit|character|characters}',
  too_long: 'must have at most {limit} {limit|character|characters}',
  wrong_format: 'must have the form of a {limit}',
  'wrong_format.email': 'must be an e-mail address such as ada@example.org',
  'wrong_format.idn-email': 'must be an e-mail address such as ada@example.org',
  'wrong_format.uuid': 'must be a UUID such as 0190163d-8694-739b-aea5-966c26f8ad91',
  'wrong_format.uri': 'must be a link such as https://example.org/path',
  'wrong_format.iri': 'must be a link such as https://example.org/path',
  'wrong_format.hostname': 'must be a host name such as www.example.org',
  'wrong_format.idn-hostname': 'must be a host name such as www.example.org',
  'wrong_format.ipv4': 'must be an IPv4 address such as 192.0.2.1',
  'wrong_format.ipv6': 'must be an IPv6 address such as 2001:db8::1',
  'wrong_format.date': 'must be a date such as 2031-03-01',
  'wrong_format.day': 'must be a date such as 2031-03-01',
  'wrong_format.time': 'must be a time such as 22:30:00Z',
  'wrong_format.date-time': 'must be a date and time such as 2031-03-01T22:30:00Z',
  'wrong_format.instant': 'must be a date and time such as 2031-03-01T22:30:00Z',
  'wrong_format.plus': 'must be a date and time such as 2031-03-01T22:30:00Z; write the plus of an offset as %2B',
  'wrong_format.duration': 'must be a duration such as PT1H30M',
  'wrong_format.regex': 'must be a regular expression',
  wrong_pattern: 'must match the pattern {limit}',
  'wrong_pattern.name': 'must have a name that matches the pattern {limit}',
  not_a_choice: 'must be one of {limit}',
  not_constant: 'must be {limit}',
  unreal_date: 'must be a date and time that exist',
  'unreal_date.day': 'must be a date that exists',
  'unreal_date.date': 'must be a date that exists',
  'unreal_date.time': 'must be a time that exists',
  too_early: 'must not be before {limit}',
  too_late: 'must not be after {limit}',
  too_few: 'must have at least {limit} {limit|element|elements}',
  'too_few.table': 'must have at least {limit} {limit|name|names}',
  too_many: 'must have at most {limit} {limit|element|elements}',
  'too_many.table': 'must have at most {limit} {limit|name|names}',
  too_many_digits: 'must have at most {limit} {limit|digit|digits}',
  'too_many_digits.scale': 'must have at most {limit} {limit|digit|digits} after the point',
  too_large: 'must be smaller',
  'too_large.depth': 'must not nest deeper than {limit} levels',
  repeated: 'must not repeat {other}',
  sent_twice: 'must be sent once; it came {limit} times',
  no_branch: 'has none of the forms that are taken here',
  bad_syntax: 'is not JSON: the mistake is at line {line}, column {column}',
  'bad_syntax.utf8': 'must be UTF-8',
  'bad_syntax.message': 'could not be read: {reason}',
  bad_encoding: 'has a broken percent-encoding; write a percent sign as %25',
  'bad_encoding.unsendable': 'has a value that cannot be sent here',
  wrong_media_type: 'must be {limit}',
  'wrong_media_type.charset': 'must name no charset but utf-8',
  out_of_order: 'must be more than {other}',
  'out_of_order.orEqual': 'must not be less than {other}',
  'out_of_order.instant': 'must come after {other}',
  'out_of_order.instantOrEqual': 'must not come before {other}',
  unequal: 'must be the same as {other}',
  none_present: 'needs one of {addresses}',
}

/** The message of a fault: own words as they are, else the catalogue's and what was sent. */
export function wordFault(fault: Fault, catalogue: Catalogue = english): string {
  const { code, variant = fault.node?.kind, limit, about = {} } = fault
  const sent =
    fault.sent instanceof Unshown ? catalogue[`sent.${fault.sent.kind}`] : fault.sent === undefined ? undefined : quote(fault.sent)
  const other = 'value' in about ? `${about.other} (${quote(about.value)})` : about.other
  const values = { limit, ...about, other, sent }
  const own = ownWords(fault)
  if (own !== undefined) return fill(own, values)
  const message = fill(catalogue[`${code}.${variant}`] ?? catalogue[code] ?? 'is not accepted', values)
  return sent === undefined || catalogue.sent === undefined ? message : fill(catalogue.sent, { message, sent })
}

function ownWords({ messages, node, code, limit, sent }: Fault): string | undefined {
  const words = messages ?? (node?.kind === 'readAs' ? (node.message ?? node.base.messages) : node?.messages)
  if (typeof words === 'string' || words === undefined) return words
  const own = Object.hasOwn(words, code) ? words[code] : undefined
  if (typeof own !== 'function') return own
  try {
    return String(own({ limit, sent: sent instanceof Unshown ? undefined : sent }))
  } catch {
    // The catalogue has words where own ones fail.
    return undefined
  }
}

/** Puts values in the places of a template; a name without a value stays as it stands. */
const fill = (template: string, values: { readonly [name: string]: unknown }) =>
  template.replace(/\{([a-z]+)(?:\|([^|}]*)\|([^|}]*))?\}/gi, (place, name: string, one?: string, more?: string) => {
    if (values[name] === undefined || !Object.hasOwn(values, name)) return place
    return (one === undefined ? show(values[name]) : Number(values[name]) === 1 ? one : more) as string
  })

function show(value: unknown): string {
  if (value instanceof Date) return writeInstant(value)
  if (Array.isArray(value)) return value.map(show).join(', ')
  return String(value)
}

const longest = 40

/** What was sent, as the sender would recognise it: shortened, and never more than a scalar. */
function quote(value: unknown): string | undefined {
  if (value instanceof Date) return writeInstant(value)
  if (typeof value === 'object' && value !== null) return undefined
  const text = typeof value === 'string' ? JSON.stringify(value) : String(value)
  const points = [...text.slice(0, 2 * longest + 2)]
  return points.length > longest ? `${points.slice(0, longest - 1).join('')}…` : text
}

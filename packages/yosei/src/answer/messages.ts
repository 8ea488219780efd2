/**
 * The words of errors. Each completes the sentence that the address begins: “query.limit *must be at most 50*”.
 * A catalogue has a text for each code, or for a code and its variant (`wrong_type.flag`), with places for what
 * failed: `{limit}`, and `{limit|character|characters}` for the word that goes with one or with more.
 */

import { writeInstant } from '../compile/instant.js'
import type { Fault } from '../compile/run.js'

export type Catalogue = { readonly [code: string]: string }

const english: Catalogue = {
  sent: '{message}; {sent} was sent',
  missing: 'must be sent',
  null_not_allowed: 'must not be null',
  undeclared: 'is not known here',
  'undeclared.near': 'is not known here; {nearest} is',
  'undeclared.body': 'must be empty: this endpoint takes no body',
  wrong_type: 'must be of another type',
  'wrong_type.text': 'must be text',
  'wrong_type.integer': 'must be a whole number',
  'wrong_type.number': 'must be a number',
  'wrong_type.flag': 'must be true or false',
  'wrong_type.instant': 'must be an instant such as 2031-03-01T22:30:00Z',
  'wrong_type.choice': 'must be one of {limit}',
  'wrong_type.list': 'must be a list',
  'wrong_type.record': 'must be an object',
  not_whole: 'must be a whole number',
  out_of_range: 'must be a whole number of at most 9007199254740991 in size',
  'out_of_range.number': 'must be a finite number',
  below_min: 'must be at least {limit}',
  'below_min.above': 'must be more than {limit}',
  above_max: 'must be at most {limit}',
  'above_max.below': 'must be less than {limit}',
  not_a_step: 'must be a multiple of {limit}',
  too_short: 'must have at least {limit} {limit|character|characters}',
  too_long: 'must have at most {limit} {limit|character|characters}',
  wrong_format: 'has the wrong form',
  'wrong_format.email': 'must be an e-mail address such as ada@example.org',
  'wrong_format.instant': 'must be an instant such as 2031-03-01T22:30:00Z',
  wrong_pattern: 'must match the pattern {limit}',
  not_a_choice: 'must be one of {limit}',
  unreal_date: 'must be a date and time that exist',
  too_early: 'must not be before {limit}',
  too_late: 'must not be after {limit}',
  too_few: 'must have at least {limit} {limit|element|elements}',
  too_many: 'must have at most {limit} {limit|element|elements}',
  repeated: 'must not repeat {other}',
  sent_twice: 'must be sent once; it came {limit} times',
  bad_syntax: 'is not JSON: the mistake is at line {line}, column {column}',
  'bad_syntax.utf8': 'must be UTF-8',
  'bad_syntax.message': 'could not be read: {reason}',
  bad_encoding: 'has a broken percent-encoding; write a percent sign as %25',
  wrong_media_type: 'must be {limit}',
  'wrong_media_type.charset': 'must name no charset but utf-8',
  out_of_order: 'must be more than {other}',
  'out_of_order.orEqual': 'must not be less than {other}',
  'out_of_order.instant': 'must come after {other}',
  unequal: 'must be the same as {other}',
  none_present: 'needs one of {addresses}',
}

/** The message of a fault. */
export function wordFault(fault: Fault, catalogue: Catalogue = english): string {
  const template = fault.message ?? catalogue[`${fault.code}.${fault.variant}`] ?? catalogue[fault.code] ?? 'is not accepted'
  const { about = {} } = fault
  const other = 'value' in about ? `${about.other} (${quote(about.value)})` : about.other
  const message = fill(template, { ...about, other })
  const sent = 'sent' in fault ? quote(fault.sent) : fault.sentKind
  return sent === undefined || catalogue.sent === undefined ? message : fill(catalogue.sent, { message, sent })
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

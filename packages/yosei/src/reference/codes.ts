/** What each code means: for documentation, and for the command `explain`. No page and no service needs it. */

import type { Code } from '../terms/codes.js'
import { shipped } from '../words/languages.js'

export type { Code } from '../terms/codes.js'

/** An example that trips a code: a declaration and a value, as source text. */
export interface CodeExample {
  /** A field in JSON, a field in a query, or an endpoint. */
  readonly of: 'json' | 'query' | 'endpoint'
  /** The declaration. */
  readonly declared: string
  /** A value that passes. */
  readonly good: string
  /** A value that fails. */
  readonly bad: string
  /** The message of the error. */
  readonly message: string
}

/** What a code means. */
export interface CodeReference {
  /** The code. */
  readonly code: Code
  /** When it comes. */
  readonly when: string
  /** The kinds, options or rules that give it. */
  readonly from: string
  /** Its usual status. */
  readonly status: string
  /** An example, if a declaration alone can trip it. */
  readonly example?: CodeExample
  /** Its words by language, and by variant: `{ en: { above_max: 'must be at most {limit}' } }`. */
  readonly words: { readonly [language: string]: { readonly [key: string]: string } }
}

type Row = readonly [when: string, from: string, status: string, example?: CodeExample]
const field = '400; in the body 422'
const rule = '422'
const json = (declared: string, good: string, bad: string, message: string): CodeExample => ({
  of: 'json',
  declared,
  good,
  bad,
  message,
})
const query = (declared: string, good: string, bad: string, message: string): CodeExample => ({
  ...json(declared, good, bad, message),
  of: 'query',
})
const between = (fields: string, rules: string, good: string, bad: string, message: string): CodeExample => ({
  ...json(`endpoint('POST /', { body: record({ ${fields} }), rules: (on) => [${rules}] })`, good, bad, message),
  of: 'endpoint',
})

const rows: { readonly [C in Code]: Row } = {
  missing: [
    'A required field was not sent.',
    'every field',
    field,
    json('integer()', '5', 'undefined', 'must be sent'),
  ],
  null_not_allowed: [
    'The field is `null`, and is not `nullable`.',
    'every field',
    field,
    json('integer({ nullable: false })', '5', 'null', 'must not be null'),
  ],
  unlisted: [
    'The name is not declared.',
    'records, the query, the body',
    field,
    json('record({ name: text() })', "{ name: 'a' }", "{ name: 'a', nmae: 'b' }", 'is not known here; name is'),
  ],
  read_only: [
    'The server sets the field.',
    '`readOnly`',
    field,
    json('integer({ readOnly: true })', 'undefined', '5', 'is set by the server and must not be sent'),
  ],
  wrong_type: [
    'The JSON value has another type, or the text does not have the form of the kind.',
    'every kind',
    field,
    json('integer()', '5', "'x'", 'must be a whole number; "x" was sent'),
  ],
  not_whole: [
    'A JSON number has a fraction.',
    '`integer`, `bigInteger`',
    field,
    json('integer()', '5', '1.5', 'must be a whole number; 1.5 was sent'),
  ],
  out_of_range: [
    'The number is too large to be exact, or not finite.',
    'numbers, `duration`',
    field,
    json(
      'integer()',
      '5',
      '1e300',
      'must be a whole number between -9007199254740991 and 9007199254740991; 1e+300 was sent',
    ),
  ],
  below_min: [
    'The number, duration or sum is too small.',
    '`min`, `above`, `sumWithin`',
    field,
    json('integer({ min: 5 })', '5', '4', 'must be at least 5; 4 was sent'),
  ],
  above_max: [
    'The number, duration or sum is too large.',
    '`max`, `below`, `sumWithin`',
    field,
    json('integer({ max: 5 })', '5', '6', 'must be at most 5; 6 was sent'),
  ],
  not_a_step: [
    'The number is not a whole multiple.',
    '`step`',
    field,
    json('integer({ step: 5 })', '10', '4', 'must be a multiple of 5; 4 was sent'),
  ],
  too_short: [
    'The text has too few characters.',
    '`length` of a text',
    field,
    json('text({ length: [2, 9] })', "'ab'", "'a'", 'must have at least 2 characters; "a" was sent'),
  ],
  too_long: [
    'The text has too many characters.',
    '`length` of a text',
    field,
    json('text({ length: [2, 3] })', "'ab'", "'abcd'", 'must have at most 3 characters; "abcd" was sent'),
  ],
  wrong_format: [
    'The text does not have the form of its format, or of a date, time or duration.',
    '`format`, `instant`, `day`, `timeOfDay`, `duration`',
    field,
    json(
      "text({ format: 'email' })",
      "'ada@example.org'",
      "'ada'",
      'must be an e-mail address such as ada@example.org; "ada" was sent',
    ),
  ],
  wrong_pattern: [
    'The text, or a name of a table, does not match the pattern.',
    '`pattern`, `names` of a table',
    field,
    json(
      "text({ pattern: /^[a-z]+$/, examples: ['abc'] })",
      "'abc'",
      "'A1'",
      'must be like abc; the pattern is ^[a-z]+$; "A1" was sent',
    ),
  ],
  not_a_choice: [
    'The value is not one of the choices, or no branch has this tag.',
    '`choice`, `tagged`, `either`',
    field,
    json("choice(['red', 'blue'])", "'red'", "'pink'", 'must be one of red, blue; "pink" was sent'),
  ],
  not_constant: [
    'The value is not the constant.',
    '`constant`',
    field,
    json("constant('v1')", "'v1'", "'v2'", 'must be v1; "v2" was sent'),
  ],
  unreal_date: [
    'The form is right, but there is no such date or time.',
    '`instant`, `day`, `timeOfDay`, `format`',
    field,
    json('day()', "'2031-02-28'", "'2031-02-30'", 'must be a date that exists; "2031-02-30" was sent'),
  ],
  too_early: [
    'The date or time is before the limit.',
    '`from`',
    field,
    json(
      "day({ from: '2031-03-01' })",
      "'2031-03-01'",
      "'2031-02-28'",
      'must not be before 2031-03-01; "2031-02-28" was sent',
    ),
  ],
  too_late: [
    'The date or time is after the limit.',
    '`until`',
    field,
    json(
      "day({ until: '2031-03-01' })",
      "'2031-03-01'",
      "'2031-03-02'",
      'must not be after 2031-03-01; "2031-03-02" was sent',
    ),
  ],
  too_few: [
    'A list has too few elements, or a table too few names.',
    '`length` of a list, tuple or table',
    field,
    json('list(integer(), { length: [2, 3] })', '[1, 2]', '[1]', 'must have at least 2 elements'),
  ],
  too_many: [
    'A list has too many elements, a table too many names, or the query too many values.',
    '`length`, `limits.queryValues`',
    field,
    json('list(integer(), { length: [1, 2] })', '[1, 2]', '[1, 2, 3]', 'must have at most 2 elements'),
  ],
  too_many_digits: [
    'A decimal has too many digits.',
    '`digits`, `scale`',
    field,
    json('decimal({ scale: 2 })', "'1.25'", "'1.255'", 'must have at most 2 digits after the point; "1.255" was sent'),
  ],
  too_large: [
    'A target, header section, body or file is over its limit, or a value is nested too deep.',
    '`limits`, `bytes`',
    '413, 414, 431; nesting 422',
  ],
  too_many_parts: ['A form has too many parts.', '`limits.parts`', '413'],
  repeated: [
    'An element repeats another one, or a rule finds two with the same values.',
    '`distinct`',
    field,
    json('list(integer(), { distinct: true })', '[1, 2]', '[1, 1]', 'must not repeat body.a[0]'),
  ],
  sent_twice: [
    'A single value was sent several times.',
    'the query, forms, `uniqueNames`',
    field,
    query('integer()', 'a=1', 'a=1&a=2', 'must be sent once; it was sent 2 times'),
  ],
  no_branch: [
    'No branch of the union comes close.',
    '`either`',
    field,
    json('either([integer(), list(integer())])', '5', 'true', 'must be a whole number or a list'),
  ],
  bad_syntax: ['The body is not JSON or not a form, or the message is not HTTP.', 'the message', '400, 408'],
  bad_encoding: [
    'The percent-encoding is broken. In `write`, a value cannot be sent.',
    'path, query, forms',
    '400',
    query('integer()', 'a=5', 'a=%zz', 'has a broken percent-encoding; write a percent sign as %25'),
  ],
  wrong_media_type: [
    'The media type, charset, or content coding is not accepted.',
    'bodies, `types` of a file',
    '415; a file 422',
  ],
  out_of_order: [
    'Two values, or two elements, are in the wrong order.',
    '`ascending`, `inOrder`',
    rule,
    between(
      'a: integer(), b: integer()',
      "on.ascending('body.a', 'body.b')",
      '{ a: 1, b: 2 }',
      '{ a: 2, b: 1 }',
      'must be more than body.a (2); 1 was sent',
    ),
  ],
  not_among: [
    'A value is not among those of another list, or the names of a table.',
    '`among`',
    rule,
    between(
      'a: list(text()), b: list(text())',
      "on.among('body.a[]', 'body.b[]')",
      "{ a: ['north'], b: ['north', 'south'] }",
      "{ a: ['nort'], b: ['north', 'south'] }",
      'must be one of body.b[], such as north; "nort" was sent',
    ),
  ],
  in_a_cycle: [
    'What elements refer to leads in a circle.',
    '`acyclic`',
    rule,
    between(
      'a: list(record({ id: text(), after: list(text()) }))',
      "on.acyclic('body.a[].id', 'body.a[].after[]')",
      "{ a: [{ id: 'x', after: [] }, { id: 'y', after: ['x'] }] }",
      "{ a: [{ id: 'x', after: ['y'] }, { id: 'y', after: ['x'] }] }",
      'must not lead back to itself: "x" → "y" → "x"',
    ),
  ],
  closed_then: [
    'A moment is not in the opening hours.',
    '`openAt`',
    rule,
    between(
      'a: instant()',
      "on.openAt('body.a', { zone: 'UTC', hours: { mon: [['08:00', '12:00']] } })",
      "{ a: '2031-03-03T08:00:00Z' }",
      "{ a: '2031-03-03T12:00:00Z' }",
      'must be in opening hours; the next begin at 2031-03-10T08:00:00Z; "2031-03-03T12:00:00Z" was sent',
    ),
  ],
  overlaps: [
    'Two elements overlap.',
    '`apart`',
    rule,
    between(
      'a: list(record({ x: integer(), y: integer() }))',
      "on.apart('body.a[].x', 'body.a[].y')",
      '{ a: [{ x: 1, y: 3 }, { x: 3, y: 4 }] }',
      '{ a: [{ x: 1, y: 3 }, { x: 2, y: 4 }] }',
      'must not overlap body.a[0]',
    ),
  ],
  too_close: [
    'The distance of two values is too small.',
    '`gap` with `atLeast`',
    rule,
    between(
      'a: day(), b: day()',
      "on.gap('body.a', 'body.b', { atLeast: '2d' })",
      "{ a: '2031-03-01', b: '2031-03-03' }",
      "{ a: '2031-03-01', b: '2031-03-02' }",
      'must be at least 2 days after body.a ("2031-03-01"); "2031-03-02" was sent',
    ),
  ],
  too_far: [
    'The distance of two values is too large.',
    '`gap` with `atMost`',
    rule,
    between(
      'a: integer(), b: integer()',
      "on.gap('body.a', 'body.b', { atMost: 5 })",
      '{ a: 1, b: 6 }',
      '{ a: 1, b: 7 }',
      'must be at most 5 more than body.a (1); 7 was sent',
    ),
  ],
  unequal: [
    'Two values differ, or a sum is not as it must be.',
    '`equal`, `sumWithin` with `exactly`',
    rule,
    between(
      'a: text(), b: text()',
      "on.equal('body.a', 'body.b')",
      "{ a: 'x', b: 'x' }",
      "{ a: 'x', b: 'y' }",
      'must be the same as body.a ("x"); "y" was sent',
    ),
  ],
  equal_not_allowed: [
    'Two values are the same.',
    '`differ`',
    rule,
    between(
      'a: text(), b: text()',
      "on.differ('body.a', 'body.b')",
      "{ a: 'x', b: 'y' }",
      "{ a: 'x', b: 'x' }",
      'must not be the same as body.a ("x"); "x" was sent',
    ),
  ],
  none_present: [
    'None of several fields was sent.',
    '`atLeastOne`, `exactlyOne`',
    rule,
    between(
      'a: text({ optional: true }), b: text({ optional: true })',
      "on.atLeastOne('body.a', 'body.b')",
      "{ a: 'x' }",
      '{}',
      'needs one of body.a, body.b',
    ),
  ],
  more_than_one: [
    'More than one of several fields was sent.',
    '`atMostOne`, `exactlyOne`',
    rule,
    between(
      'a: text({ optional: true }), b: text({ optional: true })',
      "on.atMostOne('body.a', 'body.b')",
      "{ a: 'x' }",
      "{ a: 'x', b: 'y' }",
      'takes only one of body.a, body.b',
    ),
  ],
  not_together: [
    'Some of several fields were sent, and others were not.',
    '`together`',
    rule,
    between(
      'a: text({ optional: true }), b: text({ optional: true })',
      "on.together('body.a', 'body.b')",
      '{}',
      "{ a: 'x' }",
      'needs all of body.a, body.b, or none of them',
    ),
  ],
  needed: [
    'The field must be sent while a condition holds.',
    '`needed`',
    rule,
    between(
      'a: text({ optional: true }), b: integer()',
      "on.needed('body.a', on.above('body.b', 5))",
      '{ b: 5 }',
      '{ b: 6 }',
      'must be sent when body.b is more than 5',
    ),
  ],
  not_allowed_here: [
    'The field must not be sent while a condition holds.',
    '`absent`',
    rule,
    between(
      'a: text({ optional: true }), b: integer()',
      "on.absent('body.a', on.above('body.b', 5))",
      "{ a: 'x', b: 5 }",
      "{ a: 'x', b: 6 }",
      'must not be sent when body.b is more than 5',
    ),
  ],
  not_known: ['The request has no valid credentials.', '`identify`', '401'],
  not_allowed: ['The caller does not have permission.', '`may`', '403'],
  not_found: ['A lookup found nothing.', '`lookup`', '422'],
  already_there: ['A lookup found what must not be there.', '`lookup` with `absent`', '409'],
  not_genuine: ['The message is not genuine: its signature does not fit it.', '`attest`', '403'],
  busy: ['Another request has the turn, or too many wait for it.', '`turn`', '409; too many 503'],
}

const wordsOf = (code: Code) =>
  Object.fromEntries(
    Object.entries(shipped).map(([language, words]) => [
      language,
      Object.fromEntries(Object.entries(words).filter(([key]) => key === code || key.startsWith(`${code}.`))),
    ]),
  )

/**
 * What each code means.
 *
 * @example
 * codes.above_max.when // 'The number, duration or sum is too large.'
 */
export const codes: { readonly [C in Code]: CodeReference } = Object.fromEntries(
  Object.entries(rows).map(([name, [when, from, status, example]]) => {
    const code = name as Code
    return [code, { code, when, from, status, ...(example ? { example } : {}), words: wordsOf(code) }]
  }),
) as { readonly [C in Code]: CodeReference }

/** Values that no request brought: judged alone, and by what takes the common interface of validators. */
import { expect, jest, test } from '@jest/globals'
import type { StandardSchemaV1 } from '@standard-schema/spec'
import { FormApi } from '@tanstack/form-core'
import {
  allOptional,
  type Field,
  instant,
  integer,
  judgeValue,
  list,
  readAs,
  record,
  standardFor,
  table,
  text,
} from 'yosei'
import {
  bringLanguages,
  german as germanWords,
  judgeValue as judgeInPage,
  standardFor as standardInPage,
} from 'yosei/page'

const plan = record({ filter: text({ length: [1, 20] }), seconds: integer({ max: 3600 }) })
const session = record(
  {
    opens: instant({ from: '+1h' }),
    closes: instant(),
    plans: list(plan, { length: [1, 3] }),
    reason: text({ optional: true }),
    key: text({ secret: true, length: [8, 8], optional: true }),
    tags: table(integer(), { optional: true }),
  },
  {
    rules: (on) => [
      on.ascending('opens', 'closes'),
      on.needed('reason', on.above('plans[].seconds', 1800)),
      on.distinct('plans[].filter'),
    ],
  },
)
const good = { opens: '2031-03-01T22:00:00Z', closes: '2031-03-02T04:00:00Z', plans: [{ filter: 'red', seconds: 60 }] }
const late = readAs(text(), () => undefined, { code: 'late', message: 'comes too late' })
const now = new Date('2031-01-01T00:00:00Z')

test.each<[string, Field, unknown, readonly string[]]>([
  ['a value that is right', session, good, []],
  ['a scalar', integer({ max: 9 }), 10, [' above_max: must be at most 9; 10 was sent']],
  ['nothing', integer(), undefined, [' missing: must be sent']],
  ['nothing, which may be', integer({ optional: true }), undefined, []],
  ['an empty text, which JSON has', text(), '', []],
  ['another kind', session, [1], [' wrong_type: must be an object; a list was sent']],
  [
    'a name of a list',
    list(plan),
    [{ filter: '', seconds: 1 }],
    ['[0].filter too_short: must have at least 1 character; "" was sent'],
  ],
  ['a name that is no word', session, { ...good, 'a b': 1 }, ['["a b"] unlisted: is not known here']],
  [
    'a rule',
    session,
    { ...good, closes: good.opens },
    [`closes out_of_order: must come after opens ("${good.opens}"); "${good.opens}" was sent`],
  ],
  [
    'a rule with a condition',
    session,
    { ...good, plans: [{ filter: 'red', seconds: 1801 }] },
    ['reason needed: must be sent when plans[].seconds is more than 1800'],
  ],
  [
    'a rule over elements',
    session,
    { ...good, plans: [good.plans[0], good.plans[0]] },
    ['plans[1] repeated: must not repeat plans[0]'],
  ],
  [
    'a limit by the clock',
    session,
    { ...good, opens: '2031-01-01T00:59:59Z' },
    ['opens too_early: must not be before 2031-01-01T01:00:00Z; "2031-01-01T00:59:59Z" was sent'],
  ],
  ['a secret', session, { ...good, key: 'abc' }, ['key too_short: must have at least 8 characters']],
  ['own words', record({ at: late }), { at: 'x' }, ['at late: comes too late']],
  ['a variant of a record', allOptional(session), { plans: [] }, ['plans too_few: must have at least 1 element']],
])('%s', (_, field, value, expected) => {
  for (const by of [judgeValue, judgeInPage]) {
    const verdict = by(field, value, { now })
    const errors = verdict.outcome === 'rejected' ? verdict.errors : []
    expect(errors.map(({ address, code, message }) => `${address} ${code}: ${message}`)).toEqual(expected)
    if (verdict.outcome === 'rejected') expect(Object.values(verdict.errorsByField).flat()).toEqual(errors)
  }
})
test('it is read as a body is, as text too, and worded in the language asked for', () => {
  const verdict = judgeValue(session, good, { now })
  expect(verdict.outcome === 'accepted' && verdict.value.opens).toEqual(new Date(good.opens))
  expect(judgeValue(record({ n: integer() }), { n: '5' }, { text: true })).toEqual({
    outcome: 'accepted',
    value: { n: 5 },
  })
  expect(judgeValue(integer(), 'x', { language: 'de-AT, en;q=0.5' })).toMatchObject({
    errors: [{ address: '', pointer: '', message: 'muss eine ganze Zahl sein; gesendet wurde "x"' }],
  })
  const many = judgeValue(list(integer()), Array(60).fill('x'))
  expect(many.outcome === 'rejected' && [many.errors.length, many.more]).toEqual([50, 10])
})
test('a declaration that makes no sense, and a function that fails, are thrown', () => {
  const wrong = (field: unknown, by = judgeValue) => {
    try {
      return by(field as Field, 1)
    } catch (error) {
      return (error as Error).message
    }
  }
  const limits = 'the lower limit 5 leaves nothing below the upper limit 1. Swap or correct them.'
  expect(wrong(integer({ min: 5, max: 1 }))).toBe(`judgeValue(): ${limits}`)
  expect(wrong(record({ a: list(integer({ min: 5, max: 1 })) }))).toBe(`judgeValue(), a[]: ${limits}`)
  expect(wrong(record({ a: text(), b: integer() }, { rules: (on) => [on.ascending('a', 'b' as never)] }))).toMatch(
    /^judgeValue\(\), rule ascending: a is a text and b a number/,
  )
  for (const by of [judgeValue, judgeInPage])
    expect([wrong({ a: text() }, by), wrong(undefined, by)]).toEqual([
      'judgeValue(): its first argument is an object. Give it a field: record({ … }), text() or another.',
      'judgeValue(): its first argument is undefined. Give it a field: record({ … }), text() or another.',
    ])
  const fails = record(
    { a: text() },
    {
      rules: (on) => [
        on.check({
          reads: ['a'],
          code: 'odd',
          holds: () => {
            throw new Error('unplugged')
          },
        }),
      ],
    },
  )
  expect(() => judgeValue(fails, { a: 'x' })).toThrow('unplugged')
})

test('a field is a standard schema: typed, with paths, and not among its own options', async () => {
  const schema: StandardSchemaV1 = session
  const typed: StandardSchemaV1.InferOutput<typeof session> = { opens: now, closes: now, plans: [] }
  // @ts-expect-error: an instant is read to a Date
  const wrong: StandardSchemaV1.InferOutput<typeof session> = { ...typed, opens: '2031' }
  expect([wrong.opens, schema['~standard'].version, schema['~standard'].vendor]).toEqual(['2031', 1, 'yosei'])
  expect(await schema['~standard'].validate(good, { libraryOptions: { now } })).toMatchObject({
    value: { opens: new Date(good.opens) },
  })
  const bad = { ...good, plans: [{ filter: 'red', seconds: 'x' }], tags: { 'a.b': 0.5 } }
  expect(await schema['~standard'].validate(bad, { libraryOptions: { now, language: 'de' } })).toEqual({
    issues: [
      { message: 'muss eine ganze Zahl sein; gesendet wurde "x"', path: ['plans', 0, 'seconds'] },
      { message: 'muss eine ganze Zahl sein; gesendet wurde 0.5', path: ['tags', 'a.b'] },
    ],
  })
  expect([Object.keys(session), '~standard' in allOptional(session).fields.opens]).toEqual([
    ['kind', 'need', 'fields', 'rules'],
    true,
  ])
  expect(JSON.stringify(integer())).toBe('{"kind":"integer","need":"required"}')
})
test('messages call a field by its label, and its error stays at its address', () => {
  const naming = ([name]: readonly (string | number)[]) => (name === 'plans' ? undefined : `“${name}”`)
  for (const by of [judgeValue, judgeInPage]) {
    const verdict = by(session, { ...good, closes: good.opens, plans: [] }, { now, naming })
    expect(
      verdict.outcome === 'rejected' && verdict.errors.map(({ address, message }) => `${address} ${message}`),
    ).toEqual([
      `closes must come after “opens” ("${good.opens}"); "${good.opens}" was sent`,
      'plans must have at least 1 element',
    ])
  }
})
test('a page has English until it brings German', () => {
  const german = ['muss eine ganze Zahl sein; gesendet wurde "x"']
  const told = () => {
    const verdict = judgeInPage(record({ n: integer() }), { n: 'x' }, { language: 'de-AT, en' })
    return verdict.outcome === 'rejected' && verdict.errors.map(({ message }) => message)
  }
  expect(told()).toEqual(['must be a whole number; "x" was sent'])
  bringLanguages({ de: germanWords })
  expect(told()).toEqual(german)
  // @ts-expect-error: a language has all words
  expect(() => bringLanguages({ fr: { missing: 'doit être envoyé' } })).not.toThrow()
})
test.each([
  ['yosei', standardFor],
  ['yosei/page', standardInPage as typeof standardFor],
])('options for libraries that pass none, by %s', async (_, standardOf) => {
  const naming = ([name]: readonly (string | number)[]) => (name === 'opens' ? 'Beginn' : undefined)
  const form = standardOf(session, { now, language: 'de', text: true, naming })
  // Any form has texts, whatever they are read to.
  const asTexts: StandardSchemaV1<{ readonly opens: string; readonly plans: string }, unknown> = form
  const asJson: StandardSchemaV1<StandardSchemaV1.InferInput<typeof session>, unknown> = standardOf(session, { now })
  // @ts-expect-error: without text, a list is no text
  const wrong: StandardSchemaV1<{ readonly plans: string }, unknown> = standardOf(session, { now })
  const sent = { opens: good.opens, closes: good.opens, plans: [{ filter: 'red', seconds: '60' }], reason: '' }
  expect(await form['~standard'].validate(sent)).toEqual({
    issues: [
      { message: `muss nach Beginn ("${good.opens}") liegen; gesendet wurde "${good.opens}"`, path: ['closes'] },
    ],
  })
  expect(await asTexts['~standard'].validate({ ...sent, closes: good.closes })).toMatchObject({
    value: { plans: [{ filter: 'red', seconds: 60 }] },
  })
  for (const schema of [asJson, wrong])
    expect(await schema['~standard'].validate({ ...sent, closes: good.closes })).toMatchObject({
      issues: [{ path: ['plans', 0, 'seconds'] }],
    })
})
test('a form library takes it as it is', async () => {
  // It looks for tools of developers for some seconds.
  jest.useFakeTimers()
  const form = new FormApi({ defaultValues: good, validators: { onChange: session as StandardSchemaV1<typeof good> } })
  const unmount = form.mount()
  form.setFieldValue('plans[0].seconds', 5000)
  await form.validateAllFields('change')
  const { onChange } = form.state.errorMap as { onChange: { [address: string]: readonly { message: string }[] } }
  expect(Object.entries(onChange).map(([address, [first]]) => `${address} ${first?.message}`)).toEqual([
    'plans[0].seconds must be at most 3600; 5000 was sent',
  ])
  unmount()
  jest.useRealTimers()
})

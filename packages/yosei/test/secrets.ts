/** Secrets of every kind, the places if they may stand, and everything that is reported of a request. */
import { inspect } from 'node:util'
import {
  answer,
  anything,
  bigInteger,
  choice,
  constant,
  day,
  decimal,
  duration,
  either,
  type endpoint,
  type Field,
  file,
  flag,
  instant,
  intake,
  integer,
  type JournalEvent,
  judge,
  later,
  list,
  number,
  readAs,
  record,
  serve,
  table,
  tagged,
  text,
  timeOfDay,
  tuple,
} from 'yosei'
import { readJsonSchema } from 'yosei/json-schema'

export const secret = { secret: true } as const
export const word = 'xyzzy'
export const digits = 918273645
/** What no output may hold: the word in any case, and the digits in any spelling of theirs. */
export const marks = /xyzzy|9\W?1\W?8\W?2\W?7\W?3\W?6\W?4\W?5/i

/** A secret of each kind, and values that are marked: right ones, and wrong in the ways that it can be wrong. */
export const kinds: { readonly [kind: string]: readonly [Field, ...values: unknown[]] } = {
  text: [
    text({ ...secret, length: [2, 9], default: word, examples: [word] } as never),
    word,
    `${word} that is long`,
    digits,
  ],
  integer: [integer({ ...secret, default: digits } as never), digits, 9182736450, 91827364.5, word, `${digits}`],
  number: [number({ ...secret, step: 5 }), digits, 918273645.5, word],
  bigInteger: [bigInteger({ ...secret, step: 2n }), `${digits}`, `${digits}0`, `${digits}.5`, word],
  decimal: [decimal({ ...secret, digits: 9 }), `${digits}`, `${digits}0`, word],
  flag: [flag(secret), word, digits],
  instant: [
    instant({ ...secret, until: '2031-01-01T00:00:00Z' }),
    '9182-12-31T00:00:00.736450Z',
    `9182-73-64T50:00:00Z ${word}`,
    word,
  ],
  day: [day(secret), '9182-12-31', `${digits}`, word],
  timeOfDay: [timeOfDay({ ...secret, until: '09:00' }), '91:82', '18:27:36', `${digits}`, word],
  duration: [duration({ ...secret, max: '7d' }), `PT${digits}S`, word],
  choice: [choice([word, 'other'], { ...secret, titles: { [word]: word } } as never), word, `${word}2`, digits],
  constant: [constant(word, secret as never), word, `${word}2`, digits],
  anything: [anything(secret), { [word]: word }, [digits]],
  schema: [
    readJsonSchema({
      writeOnly: true,
      type: 'object',
      properties: { a: { const: word }, b: { type: 'string', maxLength: 5 }, c: { enum: [digits] } },
      additionalProperties: false,
      if: { required: ['a'] },
    }),
    { a: word, b: word, c: digits },
    { a: `${word}2`, [word]: word, c: word, b: 5 },
    word,
    digits,
  ],
  list: [
    list(text({ length: [1, 5] }), { ...secret, distinct: true } as never),
    [word, word],
    [digits],
    { [word]: 1 },
    word,
  ],
  tuple: [tuple([text(), integer()], secret as never), [word, digits], [digits, word], word],
  record: [
    record({ a: text({ length: [1, 5] }) }, secret as never),
    { a: word },
    { a: digits },
    { a: word, [word]: word },
    word,
  ],
  table: [
    table(integer(), { ...secret, names: /^x/ } as never),
    { [word]: digits },
    { [word]: word },
    { [`a${word}`]: 1 },
    word,
  ],
  tagged: [
    tagged('kind', { [word]: record({ a: text() }) }, secret as never),
    { kind: word, a: word },
    { kind: `${word}2` },
    { kind: word, [word]: 1 },
    word,
  ],
  either: [
    either(
      [integer(), record({ a: constant(word) }), record({ a: text({ length: [9, 9], ...secret }) })],
      secret as never,
    ),
    digits,
    { a: word },
    { a: `${word}2` },
    word,
  ],
  readAs: [
    readAs(text(secret), (value) => (value.length > 5 ? undefined : { value }), { code: 'odd' }),
    word,
    `${word}2`,
    digits,
  ],
  later: [
    later(() => record({ a: text(secret), b: list(integer(secret)) })),
    { a: word, b: [digits] },
    { a: digits, b: [word] },
  ],
  file: [file({ ...secret, bytes: 3 }), word],
}

/** If it may stand: what declares it there, and the body that puts a value there. */
export const places: { readonly [name: string]: readonly [(field: Field) => Field, (value: unknown) => unknown] } = {
  'a body': [(field) => field, (value) => value],
  'a record': [(a) => record({ a, b: integer({ optional: true }) }), (a) => ({ a, b: 'x' })],
  'a list': [(field) => list(field, { distinct: true }), (value) => [value, value]],
  'a tuple': [(field) => tuple([integer(), field]), (value) => [1, value]],
  'a table': [(field) => table(field), (value) => ({ free: value })],
  'a branch': [(a) => tagged('of', { one: record({ a }) }), (a) => ({ of: 'one', a })],
  'a union beside another form': [
    (a) => either([record({ a: text({ length: [2, 3] }) }), record({ a: integer({ min: 1e9 }) }), record({ a })]),
    (a) => ({ a }),
  ],
  'a union of two': [
    (field) => either([text({ length: [1, 2] }), list(text({ length: [1, 2] })), integer({ max: 1 }), field]),
    (value) => value,
  ],
  'a union in a union': [
    (field) =>
      either([text({ length: [1, 2] }), either([integer({ max: 1 }), either([text({ length: [1, 2] }), field])])]),
    (value) => value,
  ],
  'what is made later': [(a) => later(() => record({ a })), (a) => ({ a })],
  'what is read on': [
    (a) => readAs(record({ a }), ({ a: value }) => (value === word ? undefined : value), { code: 'odd' }),
    (a) => ({ a }),
  ],
  'a secret record': [
    (a) => record({ inner: record({ a, plain: integer({ optional: true }) }, secret as never) }),
    (a) => ({ inner: { a, [`${word}3`]: a } }),
  ],
}
export const written = (value: unknown) =>
  JSON.stringify(value, (_, one) => (typeof one === 'bigint' ? String(one) : one))

/** Everything that is reported of a request anywhere. */
export async function outputs(declared: ReturnType<typeof endpoint>, message: object): Promise<string[]> {
  const events: JournalEvent[] = []
  const app = intake({ endpoints: { it: declared }, journal: { write: (event) => void events.push(event) } })
  const verdict = await judge(app, message as never, { trace: true })
  const told = verdict.outcome === 'rejected' ? verdict : { trace: verdict.trace }
  const answers =
    verdict.outcome === 'rejected'
      ? [{}, { accept: 'text/html' }, { accept: 'text/plain', 'accept-language': 'de' }].map((headers) =>
          answer(verdict, { headers }).text(),
        )
      : []
  const handle = serve(app, {
    it: () => {
      throw new Error('inside')
    },
  } as never)
  const { method, target, headers, body } = message as {
    method: string
    target: string
    headers: HeadersInit
    body?: string
  }
  await handle(new Request(`http://kr.example${target}`, { method, headers, ...(body === undefined ? {} : { body }) }))
  // A journal's cause is an Error, whose words and place are read.
  const causes = events.map(({ cause }) => `${(cause as Error | undefined)?.stack}`)
  return [
    written(told),
    ...(await Promise.all(answers)),
    written(events),
    ...causes,
    inspect(verdict.outcome === 'rejected' ? verdict : {}, { depth: null }),
  ]
}

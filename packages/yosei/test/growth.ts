/** What every reader of text costs as the text grows: by the ratio of its times, never by a time. */
import {
  anything,
  bigInteger,
  choice,
  constant,
  day,
  decimal,
  duration,
  either,
  endpoint,
  type Field,
  flag,
  instant,
  intake,
  integer,
  judge,
  judgeParts,
  list,
  number,
  parseMessage,
  readAs,
  record,
  serve,
  table,
  tagged,
  text,
  timeOfDay,
  tuple,
} from 'yosei'
import {
  chooseLanguage,
  formats,
  PartReader,
  readJson,
  readMediaType,
  repeatedNames,
  weightOf,
} from '../dist/internals.js'

/** Units to repeat, each with an end at which what seemed right turns out to be wrong. */
export const repetitive: readonly (readonly [unit: string, end: string])[] = [
  ['0', '1'],
  ['0', 'x'],
  [' ', 'x'],
  ['a', '!'],
  ['a.', '\n'],
  ['-', ' '],
  ['%41', '%'],
  ['"\\', '"'],
  [',;=', '\0'],
  ['{a:1}', '{'],
  ['[/:', ']'],
  ['é😀', '@'],
  ['\u0301\u0327', 'x'],
  ['\u1100\u1161', '\u11a8'],
]

const kinds: { readonly [name: string]: Field } = {
  text: text({ length: [1, 10], pattern: /^[a-z]+$/ }),
  tidied: text({ tidy: ['NFC', 'trim', 'squeeze', 'lower'], length: [1, 10] }),
  folded: text({ tidy: ['NFKC', 'upper'] }),
  integer: integer({ min: 0 }),
  number: number({ min: 0, step: 0.1 }),
  bigInteger: bigInteger({ min: 0n }),
  decimal: decimal({ min: '0', max: '1', digits: 5, scale: 2 }),
  flag: flag(),
  instant: instant({ from: '+1d' }),
  day: day({ from: '+1mo', zone: 'Europe/Paris' }),
  local: instant({ zone: 'Europe/Paris', until: '+1y' }),
  timeOfDay: timeOfDay({ from: '08:00' }),
  duration: duration({ max: '1h' }),
  choice: choice(['a', 'b']),
  constant: constant('a'),
  list: list(text(), { distinct: true, explode: false }),
  tuple: tuple([text(), integer()]),
  record: record({ a: text() }),
  table: table(text(), { names: /^[a-z]+$/ }),
  tagged: tagged('kind', { a: record({}) }),
  either: either([integer(), decimal(), instant(), text({ format: 'uri' })]),
  readAs: readAs(text(), () => undefined, { code: 'odd' }),
  anything: anything(),
}

const headed = serve(
  intake({
    limits: { headers: '1MB', uri: '1MB' },
    endpoints: {
      get: endpoint('GET /{id}', {
        path: { id: text() },
        query: { a: list(text(), { optional: true }), o: record({ b: text({ optional: true }) }, { optional: true }) },
        header: { 'x-list': list(integer(), { optional: true }) },
        cookie: { c: text({ optional: true }) },
      }),
      post: endpoint('POST /', {
        body: {
          'application/json': record({}),
          'multipart/form-data': record({ a: text() }),
          'application/x-www-form-urlencoded': record({ a: text() }),
        },
      }),
    },
  }),
  { get: () => 1, post: () => 1 },
)
const fields = [
  'accept',
  'accept-language',
  'cookie',
  'content-type',
  'content-encoding',
  'content-length',
  'traceparent',
  'x-list',
  'host',
  'expect',
  'transfer-encoding',
]
const latin = (value: string) => value.replace(/[^\t\x20-\x7e]/g, '~')

/** Every kind, format, message and header reader, given a text. */
export const readers: { readonly [name: string]: (text: string) => unknown } = {
  ...Object.fromEntries(
    Object.entries(kinds).flatMap(([name, field]) => {
      const one = endpoint('POST /', {
        query: { a: name === 'anything' || name === 'tagged' || name === 'table' ? text() : field } as never,
        body: record({ a: field }),
      })
      return [
        [
          `${name} in JSON`,
          (value: string) => messagesOf(judgeParts(one, { query: {}, body: { a: value, [value]: value } })),
        ],
        [
          `${name} as text`,
          (value: string) => messagesOf(judgeParts(one, { query: { a: value }, body: { a: [value] } }, { text: true })),
        ],
      ]
    }),
  ),
  ...Object.fromEntries(Object.entries(formats).map(([name, { check }]) => [`format ${name}`, check])),
  ...Object.fromEntries(
    fields.map((name) => [
      `field ${name}`,
      (value: string) => judge(app, { method: 'POST', target: '/', headers: { [name]: latin(value) }, body: '{}' }),
    ]),
  ),
  Accept: (value) => weightOf('text/html', value),
  'Accept-Language': (value) => chooseLanguage(value, ['en', 'de']),
  'media type': (value) => [readMediaType(value), readMediaType(`a/b;${value}`)],
  message: (value) => [
    parseMessage(value),
    parseMessage(`GET / HTTP/1.1\nX: ${value}`),
    parseMessage(`GET ${value} HTTP/1.1`),
  ],
  JSON: (value) => [readJson(value), readJson(`{"a":"${value}`), readJson(`[${value}`)],
  'names in JSON': (value) => repeatedNames(`{"a":${JSON.stringify(value)},${JSON.stringify(value)}:1}`, 50),
  path: (value) => judge(app, { method: 'GET', target: `/${value}` }),
  query: (value) => judge(app, { method: 'GET', target: `/1?${value}&a=${value}&o[b]=${value}` }),
  form: (value) =>
    judge(app, {
      method: 'POST',
      target: '/',
      headers: { 'content-type': 'application/x-www-form-urlencoded' },
      body: value,
    }),
  multipart: (value) =>
    judge(app, {
      method: 'POST',
      target: '/',
      headers: { 'content-type': 'multipart/form-data; boundary=x' },
      body: `--x\r\nContent-Disposition: form-data; name="${value}"\r\n\r\n${value}\r\n--x--`,
    }),
  answer: (value) =>
    headed(
      new Request('http://kr.example/1?b=1', { headers: { accept: latin(value), 'accept-language': latin(value) } }),
    ),
}
const app = intake({
  limits: { headers: '1MB', uri: '1MB' },
  endpoints: {
    get: endpoint('GET /{id}', {
      path: { id: text() },
      query: { a: list(text(), { optional: true }), o: record({ b: text({ optional: true }) }, { optional: true }) },
      cookie: { c: text({ optional: true }) },
    }),
    post: endpoint('POST /', {
      header: { 'x-list': list(integer(), { optional: true }) },
      body: {
        'application/json': record({}),
        'multipart/form-data': record({ a: text() }),
        'application/x-www-form-urlencoded': record({ a: text() }),
      },
    }),
  },
})

function messagesOf(verdict: { outcome: string; errors?: readonly { message: string }[] }): unknown {
  return verdict.errors?.map(({ message }) => message)
}

/** The least of a few times that a reader takes of the processor, in milliseconds: others may be busy beside it. */
async function timeOf(work: () => unknown, enough = 0): Promise<number> {
  let least = Number.POSITIVE_INFINITY
  for (let i = 0; i < 4 && least > enough; i++) {
    const start = process.cpuUsage()
    await work()
    const { user, system } = process.cpuUsage(start)
    least = Math.min(least, (user + system) / 1000)
  }
  return least
}

/**
 * How often longer four times as much takes, if it takes long enough to be measured: 4 where time grows with the
 * text, 16 where it grows with its square. Measured again where it looks like more, since a machine may have been busy.
 */
export async function growthOf(work: (size: number) => unknown, [small, large] = [10_000, 40_000]): Promise<number> {
  let least = Number.POSITIVE_INFINITY
  for (let i = 0; i < 8 && least > mostGrowth; i++) {
    const after = await timeOf(() => work(large as number), soMuch)
    least = Math.min(least, after < soMuch ? 1 : after / Math.max(await timeOf(() => work(small as number)), 0.05))
  }
  return least
}
export const mostGrowth = 9
/** Milliseconds below which nothing is worth a comparison: what grows with its square takes a hundred times as long. */
const soMuch = 10

/** A form in chunks as small as can be: what waits for more must not be read anew with each. */
export function drip(form: string): unknown {
  const reader = new PartReader('x', 1_000_000)
  try {
    for (const byte of Buffer.from(form)) reader.read(Uint8Array.of(byte))
  } catch (error) {
    return error
  }
  return reader.parts
}

/** Requests written from values made at random, and what must come of them. */
import fc from 'fast-check'
import {
  adding,
  DeclarationError,
  endpoint,
  file,
  intake,
  type JournalEvent,
  judge,
  serve,
  text,
  UnacceptableError,
  write,
} from 'yosei'
import * as web from '../dist/adapt/platform-web.js'
import { judgeOn } from '../dist/internals.js'
import { fieldOf, newRun, plain, read, type Spec, show, Undecided } from './oracle.ts'
import { flat, leaf, names, numbers, recordSpec, type Stream, spec, stream, valueFrom } from './oracle-cases.ts'

/** A part whose fields a client may send. */
const sendable = (one: Spec): Spec => ({
  ...one,
  // Blanks at its ends are cut off, of which the oracle knows two.
  ...(one.scalar === 'lower' || one.scalar === 'compact' ? { scalar: 'text' } : {}),
  // A number may be one as a handler has it.
  ...(one.scalar === 'duration' ? { scalar: 'time', fallback: undefined } : {}),
  readOnly: undefined,
  ...(one.items ? { items: one.items.map(sendable) } : {}),
  ...(one.fields
    ? { fields: Object.fromEntries(Object.entries(one.fields).map(([name, field]) => [name, sendable(field)])) }
    : {}),
})
const required = (one: Spec): Spec => ({
  ...one,
  optional: false,
  nullable: false,
  readOnly: undefined,
  fallback: undefined,
})
const styles = [undefined, { style: 'pipeDelimited' }, { style: 'spaceDelimited' }, { explode: false }]
const carried = fc
  .tuple(flat, fc.nat({ max: 3 }))
  .map(
    ([one, at]): Spec => ({
      ...one,
      fields: Object.fromEntries(
        Object.entries(one.fields ?? {}).map(([name, field]) => [
          name,
          field.is === 'list' && styles[at] ? { ...field, carried: styles[at] } : field,
        ]),
      ),
    }),
  )
/** With records and tables of what is flat, in brackets. */
const inBrackets = fc
  .tuple(carried, carried, leaf)
  .map(
    ([one, inner, item]): Spec => ({
      ...one,
      fields: {
        ...one.fields,
        deep: { ...inner, optional: true },
        rest: { is: 'table', items: [required(item)], optional: true },
      },
    }),
  )
const bodies: fc.Arbitrary<readonly [string, Spec]> = fc.oneof(
  fc.tuple(fc.constant('application/json'), spec),
  fc.tuple(
    fc.constant('application/x-ndjson'),
    spec.map((item): Spec => ({ is: 'list', items: [required(item)] })),
  ),
  fc.tuple(fc.constant('application/x-www-form-urlencoded'), inBrackets),
  fc.tuple(fc.constant('multipart/form-data'), recordSpec),
  fc.tuple(fc.constant('multipart/form-data'), inBrackets),
  fc.tuple(fc.constant('text/plain'), leaf),
)
const whole: fc.Arbitrary<Writing> = fc.record({
  path: fc.dictionary(fc.constantFrom('a', 'b'), leaf.map(required), { minKeys: 1, noNullPrototype: true }),
  between: fc.constantFrom('/', '...', '-'),
  query: inBrackets,
  header: flat,
  cookie: fc.dictionary(fc.constantFrom(...names), leaf, { maxKeys: 2, noNullPrototype: true }),
  body: bodies,
  numbers: numbers(97),
})
interface Came {
  readonly outcome: string
  readonly endpoint: string
  readonly input: { readonly [part: string]: unknown }
}
interface Writing {
  readonly path: { readonly [name: string]: Spec }
  readonly between: string
  readonly query: Spec
  readonly header: Spec
  readonly cookie: { readonly [name: string]: Spec }
  /** Its media type, and its declaration. */
  readonly body: readonly [string, Spec]
  readonly numbers: readonly number[]
}

/** One part at a time, so that most of them can be sent. */
export const writings = fc
  .tuple(whole, fc.constantFrom('path', 'query', 'header', 'cookie', 'body', 'body', 'all'))
  .map(
    ([one, part]): Writing => ({
      ...one,
      path: part === 'path' || part === 'all' ? one.path : { a: { is: 'scalar', scalar: 'letters' } },
      query: part === 'query' || part === 'all' ? one.query : empty,
      header: part === 'header' || part === 'all' ? one.header : empty,
      cookie: part === 'cookie' || part === 'all' ? one.cookie : {},
      body: part === 'body' || part === 'all' ? one.body : ['application/json', empty],
    }),
  )
const empty: Spec = { is: 'record', fields: {} }

/** Texts that mean something on the way. */
const odd = [
  '',
  ' x',
  'x ',
  'a|b',
  'a b',
  'a,b',
  'a\nb',
  'a\r\n--x',
  '"',
  'a"b',
  '\\',
  '\ud800',
  '\ufeffx',
  '.',
  '..',
  '%',
  '%22',
  '%7C',
  '+',
  '&=',
  '[a]',
  'é',
  '日',
  'me',
  'v1...2',
  'a-b',
  'null',
  '[]',
  '\0',
  '__proto__',
  '/',
  '//',
  '?#',
  ';',
]
function spoiled(from: Stream, value: unknown): unknown {
  if (typeof value === 'string') return from.take(5) === 0 ? from.of(odd) : value
  if (Array.isArray(value)) return value.map((one) => spoiled(from, one))
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, spoiled(from, one)]))
}
const isObject = (value: unknown) => typeof value === 'object' && value !== null && !Array.isArray(value)
/** What every part carries without doubt. */
const isPlain = (value: unknown): boolean =>
  typeof value === 'number' ||
  (typeof value === 'string' && /^(?!me$)[\w:+-]+$/.test(value)) ||
  (Array.isArray(value) && value.length > 1 && value.every(isPlain)) ||
  (isObject(value) && Object.keys(value as object).length > 0 && Object.values(value as object).every(isPlain))
const hasUnion = (one: Spec): boolean =>
  one.is === 'either' || [...(one.items ?? []), ...Object.values(one.fields ?? {})].some(hasUnion)

const fileNames = ['a.png', '日 b.png', '', 'a"b', 'a/b', 'a\\b', 'a%22b', "a'b;c.png", '..']
/** How often each came. */
export const outcomes: { [outcome: string]: number } = {}
const count = (outcome: string) => {
  outcomes[outcome] = (outcomes[outcome] ?? 0) + 1
}

let kept: (event: JournalEvent) => void = () => undefined
/** What is wrong with how a request was written, or kept: nothing, or what was sent and what came. */
export async function miswritten({
  path,
  between,
  query,
  header,
  cookie,
  body: [media, body],
  numbers: all,
}: Writing): Promise<string | undefined> {
  const from = stream(all)
  const parts: { [part: string]: Spec } = {
    path: sendable({ is: 'record', fields: path }),
    query: sendable(query),
    header: sendable(header),
    cookie: sendable({ is: 'record', fields: cookie }),
    body: sendable({ ...body, optional: false, fallback: undefined }),
  }
  const template = Object.keys(path)
    .map((name) => `{${name}}`)
    .join(between)
  const fieldsOf = (part: string) => (fieldOf(parts[part] as Spec) as { fields: never }).fields
  const hasFile = media === 'multipart/form-data' && body.is === 'record'
  let app: never
  try {
    const bodyField = hasFile
      ? adding(fieldOf(parts.body as Spec) as never, { plate: file({ optional: true }) } as never)
      : fieldOf(parts.body as Spec, true)
    const put = endpoint(`PUT /${template}`, {
      path: fieldsOf('path'),
      query: fieldsOf('query'),
      header: fieldsOf('header'),
      cookie: fieldsOf('cookie'),
      body: { [media]: bodyField },
    } as never)
    app = intake({
      base: '/v1',
      journal: { write: (event) => kept(event) },
      endpoints: { put, me: endpoint('PUT /me', {}), two: endpoint('PUT /me/{x}', { path: { x: text() } } as never) },
    }) as never
  } catch (error) {
    if (!(error instanceof DeclarationError)) throw error
    count(process.env.WHY ? `no declaration: ${error.message.replace(/"PUT.*?,/, '')}` : 'no declaration')
    return undefined
  }
  const { put } = (app as { endpoints: { put: never } }).endpoints
  const values: { [part: string]: unknown } = {}
  const expected: { [part: string]: unknown } = {}
  let isRight = true
  for (const [part, one] of Object.entries(parts)) {
    // Mostly what the part takes: what it rejects is for other tests.
    for (let again = 0; again < 6; again++) {
      const value = spoiled(from, valueFrom(from, one, 'json'))
      values[part] = part !== 'body' && !isObject(value) ? {} : value
      const run = newRun(part === 'body' || part === 'query' ? 'refuse' : 'drop')
      try {
        expected[part] = plain(read(one, values[part], 'json', [], run))
      } catch (error) {
        if (error instanceof Undecided) return undefined
        throw error
      }
      if (run.errors.length === 0) break
      if (again < 5) continue
      isRight = false
      // What came as text already is read as text: in JavaScript it may be given so.
      const coerced = newRun('drop')
      read(one, values[part], 'coerced', [], coerced)
      if (coerced.errors.length === 0) return undefined
    }
  }
  const plate =
    hasFile && isRight && isObject(values.body) && from.take(2)
      ? new File(['a\r\n--form\0\xff'], from.of(fileNames), { type: from.of(['image/png', '']) })
      : undefined
  if (plate) (values.body as { plate?: File }).plate = plate
  const told = () => show({ template, media, parts, values })
  let request: Request
  try {
    request = write(put, 'https://kr.example/v1', values as never)
  } catch (error) {
    if (!(error instanceof UnacceptableError)) return `${told()}\n  threw ${(error as Error).stack}`
    const { errors } = error.verdict
    if (errors.length === 0 || errors.some(({ message }) => /\{(?:limit|arrives|endpoint|sent)\}/.test(message)))
      return `${told()}\n  said nothing: ${show(error.verdict)}`
    if (!isRight) count('rejected')
    else {
      count(`unsendable in ${errors[0]?.part}`)
      const isSafe =
        Object.values(values).every((one) => isPlain(one) || show(one) === '{}') &&
        !plate &&
        (show(values.body) !== '{}' || media === 'application/json') &&
        !Object.values(parts).some(hasUnion) &&
        between === '/'
      if (isSafe) return `${told()}\n  refused ${show(errors)}`
    }
    return undefined
  }
  for (const platform of ['this machine', 'the web'] as const) {
    const verdict = (await (platform === 'the web'
      ? judgeOn(web, app, request.clone())
      : judge(app, request.clone()))) as unknown as Came
    if (!isRight) return `${told()}\n  was written, though it is wrong: ${show(verdict)}`
    if (verdict.outcome !== 'accepted' || verdict.endpoint !== 'put')
      return `${told()}\n  was not accepted: ${show(verdict)}`
    const { plate: came, ...rest } = (plate ? verdict.input.body : {}) as {
      plate?: { name: string; bytesNow(): Promise<Uint8Array> }
    }
    const input = { ...verdict.input, ...(plate ? { body: rest } : {}) }
    if (
      plate &&
      (came?.name !== plate.name || Buffer.compare(await came.bytesNow(), Buffer.from(await plate.arrayBuffer())) !== 0)
    )
      return `${told()}\n  the file came as ${came?.name}`
    if (show(input) !== show(expected))
      return `${told()}\n  expected ${show(expected)}\n  came to ${platform} as ${show(input)}`
  }
  count('given back')
  // Secrets, files and undeclared names are not written down. By a name that it dropped, a union may have taken a branch.
  const declared = JSON.stringify(parts)
  const dropsInUnion = declared.includes('"unlisted":"drop"') && declared.includes('"is":"either"')
  if (plate || Object.keys(cookie).length > 0 || declared.includes('"unlisted":"keep"') || dropsInUnion)
    return undefined
  let input: string | undefined
  kept = (event) => {
    input = event.input
  }
  const broken = () => {
    throw new Error('broken')
  }
  const handle = serve(app, { put: broken, me: broken, two: broken } as never)
  await handle(request)
  if (input === undefined) return `${told()}\n  was not kept`
  const again = (await judge(app, input)) as unknown as Came
  if (again.outcome !== 'accepted' || show(again.input) !== show(expected))
    return `${told()}\n  was kept as ${JSON.stringify(input)}\n  judged again ${show(again)}`
  count('kept')
  return undefined
}

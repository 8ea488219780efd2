/**
 * The code that is made for an endpoint: what can get into it, what it is compared with, and what runs if it may not
 * be made.
 */
import { spawnSync } from 'node:child_process'
import { describe, expect, test } from '@jest/globals'
import {
  bigInteger,
  choice,
  codeOf,
  constant,
  DeclarationError,
  day,
  decimal,
  duration,
  type Endpoint,
  either,
  endpoint,
  type Field,
  flag,
  type Intake,
  instant,
  intake,
  integer,
  judgeParts,
  list,
  number,
  readAs,
  record,
  table,
  tagged,
  text,
  timeOfDay,
  tuple,
} from 'yosei'
import { prepareCode } from 'yosei/prepared'
import { compiled, endpointNode, everyKind as every, startRun } from '../dist/internals.js'
import { withCode } from './prepared.ts'

const hostile = [
  '"',
  "'",
  '`',
  '\\',
  '\\"',
  '$'.concat('{globalThis.hacked = 1}'),
  '*/ globalThis.hacked = 1 /*',
  '// x',
  '\n globalThis.hacked = 1 //',
  '\r',
  '\u2028 globalThis.hacked = 1 //',
  '\u2029',
  '</script>',
  '"]; globalThis.hacked = 1; ["',
  ') { globalThis.hacked = 1 } if (',
  '__proto__',
  'constructor',
  'toString',
  'k0',
  'run',
  'sent',
  'return',
  '',
  ' ',
  '\ud800',
  '🔭',
  '0',
  '[]',
]

describe('no name can get into the code as more than a name', () => {
  test.each(hostile)('%j', (name) => {
    const inner = record({ [name]: integer({ optional: true }), plain: text({ default: name }) })
    const body = record({
      [name]: inner,
      list: list(record({ [name]: text() }), { distinct: name as never, optional: true }),
      table: table(inner, { optional: true }),
      choice: choice([name, 'other'], { optional: true, titles: { [name]: name } }),
      constant: constant(name, { optional: true, title: name, description: name, name }),
      union: either([constant(name), tuple([constant(name)])], { optional: true }),
      reader: readAs(text({ optional: true }), () => undefined, { code: name, message: name }),
    })
    const branches = tagged(`tag ${name}`, { [name]: record({ [name]: integer() }) })
    const declared = () =>
      intake({
        endpoints: {
          [name]: endpoint('POST /{id}', {
            title: name,
            path: { id: text() },
            // Of these two no query carries the value.
            query: {
              [name]:
                name === '' || name === '\ud800' ? text({ optional: true }) : choice([name, 'x'], { optional: true }),
            },
            header: { [`x-${name}`]: text({ optional: true }) },
            body: record({ body, branches }),
          }),
        },
      })
    const sent = {
      path: { id: name || 'x' },
      query: name === '' ? {} : { [name]: name },
      header: {},
      body: {
        body: {
          [name]: { [name]: 5, plain: name },
          list: [{ [name]: name }],
          table: { [name]: { [name]: 6 } },
          choice: name,
          constant: name,
          union: [name],
        },
        branches: { [`tag ${name}`]: name, [name]: 7 },
      },
    }
    for (const app of [declared(), withCode(declared())]) {
      const judged = app.endpoints[name] as (typeof app.endpoints)[string]
      // The code is printable ASCII, so that nothing in it can end a line, a comment or a text.
      for (const code of [codeOf(judged), prepareCode(app, { command: name })]) expect(code).toMatch(/^[\n -~]*$/)
      const accepted = judgeParts(judged, sent)
      expect(accepted).toMatchObject({ outcome: 'accepted' })
      expect(JSON.stringify(accepted.outcome === 'accepted' && accepted.input)).toContain(
        JSON.stringify({ [name]: 5, plain: name })
          .slice(1, -1)
          .split(',')[0],
      )
      const rejected = judgeParts(judged, {
        ...sent,
        body: { body: { [name]: { [name]: 'x' }, [`${name}?`]: 1 }, branches: { [`tag ${name}`]: 'none' } },
      })
      expect(rejected.outcome === 'rejected' && rejected.errors.map(({ code }) => code)).toEqual([
        'wrong_type',
        'unlisted',
        'not_a_choice',
      ])
    }
    expect((globalThis as { hacked?: number }).hacked).toBeUndefined()
  })
  test('nor can a limit that is no number', () => {
    const evil = '0; globalThis.hacked = 1' as never
    expect(() => {
      const { one } = intake({ endpoints: { one: endpoint('POST /', { body: integer({ above: evil }) }) } }).endpoints
      judgeParts(one, { body: 1 })
      expect(codeOf(one)).not.toContain('hacked')
    }).not.toThrow(SyntaxError)
    expect(() => endpoint('POST /', { body: text({ length: [evil, 2] }) })).toThrow(DeclarationError)
    expect((globalThis as { hacked?: number }).hacked).toBeUndefined()
  })
})

/** Branches of large unions have code of their own, which is made when one is first asked. */
describe('a large union, at any place', () => {
  const branch = (index: number) => ({
    n: integer({ min: index }),
    at: list(record({ when: instant({ optional: true }), price: decimal({ scale: 2 }) }), {
      length: [0, 3],
      optional: true,
    }),
    mode: text({ default: 'plain', tidy: ['trim'] }),
    secret: text({ secret: true, optional: true }),
    link: readAs(text({ optional: true }), (sent: string) => new URL(sent), { code: 'bad_link' }),
  })
  const indices = Array.from({ length: 12 }, (_, index) => index)
  const byConstant = either(indices.map((index) => record({ kind: constant(`k${index}`), ...branch(index) })))
  const byTrial = either(indices.map((index) => record({ ...branch(index), [`own${index}`]: flag() })))
  const nested = either([byConstant, ...indices.map((index) => record({ [`of${index}`]: byTrial, ...branch(index) }))])
  const right = { n: 20, at: [{ when: '2031-03-01T00:00:00Z', price: '1.50' }], mode: ' a ' }
  test.each<[name: string, field: Field, sent: unknown]>([
    ['the first', byConstant, { kind: 'k0', ...right }],
    ['the last', byConstant, { kind: 'k11', ...right, link: 'https://a.example/' }],
    [
      'one with errors',
      byConstant,
      { kind: 'k7', n: 3, at: [{ price: '1' }, { price: '1.555' }, {}, {}], secret: 5, link: 'x', odd: 1 },
    ],
    ['an unknown one', byConstant, { kind: 'k99', ...right }],
    ['nothing', byConstant, null],
    ['by trial', byTrial, { ...right, own11: true }],
    ['by trial, wrong', byTrial, { n: 1, own5: 5, at: [{ price: 'x' }] }],
    ['by trial, far off', byTrial, []],
    ['a union in a union', nested, { of3: { ...right, own2: false }, ...right }],
    ['a union in a union, wrong', nested, { of3: { n: 'x', own2: false }, ...right }],
  ])('%s', (_, field, sent) => {
    const places = { list: list(field), table: table(field), record: record({ in: field }), alone: field }
    const bodies = { list: [sent, sent], table: { a: sent, 'b c': sent }, record: { in: sent }, alone: sent }
    for (const place of ['list', 'table', 'record', 'alone'] as const) {
      const [compiled, interpreted, prepared] = (['compiled', 'interpreted', 'prepared'] as const).map((how) => {
        const declared = intake({
          engine: how === 'interpreted' ? how : 'compiled',
          endpoints: { put: endpoint('PUT /', { body: record({ x: places[place] as Field }) }) },
        })
        const app = how === 'prepared' ? withCode(declared) : declared
        const verdict = judgeParts(app.endpoints.put as Endpoint, { body: { x: bodies[place] } } as never)
        const again = judgeParts(app.endpoints.put as Endpoint, { body: { x: bodies[place] } } as never)
        expect(JSON.stringify(again)).toBe(JSON.stringify(verdict))
        return JSON.stringify(verdict)
      })
      expect([compiled, prepared]).toEqual([interpreted, interpreted])
    }
    expect(codeOf(endpoint('PUT /', { body: record({ x: field }) })).length).toBeLessThan(20_000)
  })
})

test('code is made once for each branch, however many ways lead to it', () => {
  const fillers = Array.from({ length: 30 }, (_, index) => record({ kind: constant(`f${index}`), n: integer() }))
  const level = (depth: number): Field => {
    const below = depth === 0 ? integer() : level(depth - 1)
    return either([record({ kind: constant('k'), a: below as Field<unknown>, b: below as Field<unknown> }), ...fillers])
  }
  const put = endpoint('PUT /', { body: record({ x: level(7) as Field<unknown> }) })
  const body = (way: string): unknown => {
    const [step, ...rest] = way
    const other = { kind: 'f0', n: 1 }
    if (step === undefined) return { kind: 'k', a: 1, b: 1 }
    const below = body(rest.join(''))
    return { kind: 'k', a: step === '0' ? below : other, b: step === '1' ? below : other }
  }
  const { Function: Original } = globalThis
  let made = 0
  globalThis.Function = class extends Original {
    constructor(...code: string[]) {
      super(...code)
      made++
    }
  } as FunctionConstructor
  for (let way = 0; way < 128; way++)
    expect(judgeParts(put, { body: { x: body(way.toString(2).padStart(7, '0')) } }).outcome).toBe('accepted')
  globalThis.Function = Original
  // The endpoint, and at each of eight levels a branch of its own; a filler is shared by all.
  expect(made).toBe(10)
})

test('where no code may be made from text, the interpreter says the same', () => {
  const program = `import { endpoint, intake, integer, judge, record } from 'yosei'
const body = record({ n: integer({ max: 5 }) })
for (const engine of ['compiled', 'interpreted']) {
  const app = intake({ engine, endpoints: { put: endpoint('PUT /{id}', { path: { id: integer() }, body }) } })
  for (const n of [5, 6]) console.log(JSON.stringify(await judge(app, { method: 'PUT', target: '/1', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ n }) })))
}`
  const run = (...flags: string[]) =>
    spawnSync(process.execPath, [...flags, '--input-type=module', '-e', program], { encoding: 'utf8' })
      .stdout.trim()
      .split('\n')
  const [accepted, rejected] = run('--disallow-code-generation-from-strings')
  expect([accepted, rejected].map((line) => JSON.parse(line as string).outcome)).toEqual(['accepted', 'rejected'])
  expect(run('--disallow-code-generation-from-strings')).toEqual([accepted, rejected, accepted, rejected])
  expect(run()).toEqual([accepted, rejected, accepted, rejected])
})

test('a name on the prototype of every object is not taken for one that was sent', () => {
  const put = endpoint('PUT /', { body: record({ polluted: text() }) })
  const missing = { outcome: 'rejected', errors: [{ address: 'body.polluted', code: 'missing' }] }
  expect(judgeParts(put, { body: {} })).toMatchObject(missing)
  try {
    Object.assign(Object.prototype, { polluted: 'x' })
    expect(judgeParts(put, { body: {} })).toMatchObject(missing)
  } finally {
    delete (Object.prototype as { polluted?: string }).polluted
  }
  expect(judgeParts(put, { body: Object.create({ polluted: 'x' }) })).toMatchObject(missing)
})

test('what the bench has by hand takes and refuses the same as the declarations', async () => {
  const { cases } = await import('../bench/reference.js' as string)
  const { byHand } = await import('../bench/by-hand.js' as string)
  const values = [
    undefined,
    null,
    true,
    0,
    -1,
    -1e9,
    1e9,
    1.5,
    '',
    'x',
    'x'.repeat(600),
    [],
    {},
    '2031-02-30T00:00:00Z',
    '1999-01-01T00:00:00Z',
  ]
  /** The body with one value in it changed, at every place and in every way. */
  function* changed(value: unknown): Generator<unknown> {
    yield* values
    if (typeof value !== 'object' || value === null) return
    for (const name of Object.keys(value).slice(0, 12)) {
      for (const one of changed((value as Record<string, unknown>)[name])) {
        const copy = (Array.isArray(value) ? [...value] : { ...value }) as Record<string, unknown>
        copy[name] = one
        // JSON has no `undefined`: a field is not there, an element always is.
        if (one === undefined && Array.isArray(value)) continue
        if (one === undefined) delete copy[name]
        yield copy
      }
    }
    if (!Array.isArray(value)) yield { ...value, unlisted: 1 }
  }
  let compared = 0
  for (const [index, { endpoint: declared, body, wrong }] of cases.entries()) {
    const solo = endpoint('POST /', { body: declared.bodies[0]?.node as unknown as Field })
    for (const sent of [body, wrong, ...changed(body)]) {
      if (sent === undefined) continue
      const verdict = judgeParts(solo, { body: sent })
      const { input, errors = [] } = byHand[index](sent)
      const told = (list: readonly { address: string; code: string }[]) =>
        list.map(({ address, code }) => `${address} ${code}`).sort()
      expect([told(errors), input]).toEqual(
        verdict.outcome === 'accepted' ? [[], verdict.input] : [told(verdict.errors), undefined],
      )
      compared++
    }
  }
  expect(compared).toBeGreaterThan(1000)
})

const bench = await import('../bench/declared.js' as string)

describe('what is right is never interpreted, in what the bench measures', () => {
  const { demonstration, longList, kinds, rules, ruledBody, ruledRows, clock } = bench
  const bodies: [string, Endpoint, object][] = [
    ['the booking', demonstration.endpoint, demonstration.sent],
    ['the long list', longList.endpoint, longList.sent],
    ...kinds.map(([name, field, value]: [string, Field, unknown]) => [
      `kind ${name}`,
      endpoint('POST /', { body: record({ value: field, again: list(field) }) }),
      { body: { value, again: [value, value] } },
    ]),
    ...rules
      .filter(([name]: [string]) => !name.endsWith(', observed'))
      .map(([name, declared, , change]: [string, never, unknown, unknown]) => [
        `rule ${name}`,
        endpoint('POST /', { body: ruledBody, rules: declared }),
        { body: (change as undefined | ((body: object) => object))?.(ruledRows(3)) ?? ruledRows(3) },
      ]),
  ]
  const atBounds: [string, Field, unknown[]][] = [
    ['text', text({ length: [1, 3] }), ['a', 'abc', '🔭🔭🔭']],
    ['integer', integer({ min: 1, max: 3 }), [1, 3]],
    ['number', number({ min: -1.5, max: 2.5 }), [-1.5, 0, 2.5]],
    ['number between', number({ above: 0, below: 1 }), [Number.MIN_VALUE, 1 - Number.EPSILON]],
    ['decimal', decimal({ min: '1', max: '2.5', digits: 2, scale: 1 }), ['1', '1.0', '2.5']],
    ['long decimal', decimal({ min: '1', max: '12345678901234568' }), ['12345678901234567', '12345678901234568']],
    ['bigInteger', bigInteger({ min: 1n, max: 3n }), ['1', '3']],
    ['day', day({ from: '2031-01-01', until: '2031-01-03' }), ['2031-01-01', '2031-01-03']],
    [
      'instant',
      instant({ from: '2031-01-01T00:00:00Z', until: '2031-01-02T00:00:00Z' }),
      ['2031-01-01T00:00:00Z', '2031-01-02T01:00:00+01:00'],
    ],
    ['timeOfDay', timeOfDay({ from: '09:00', until: '17:00' }), ['09:00', '17:00:00']],
    ['duration', duration({ min: '1m', max: '2h' }), ['PT1M', 'PT2H']],
    ['list', list(integer(), { length: [1, 2], distinct: true }), [[1], [1, 2]]],
    ['table', table(integer(), { length: [1, 2], names: /^[a-z]$/ }), [{ a: 1 }, { a: 1, b: 2 }]],
    ['choice', choice([1, 'x']), [1, 'x']],
    ['flag', flag({ nullable: true }), [true, false, null]],
    [
      'either of records',
      either([record({ k: constant('a'), a: integer() }), record({ k: constant('b'), b: text() })]),
      [
        { k: 'a', a: 1 },
        { k: 'b', b: 'x' },
      ],
    ],
    [
      'decimals',
      record({ all: list(decimal()) }, { rules: (on) => [on.sumWithin('all[]', { atMost: '3' })] }),
      [{ all: ['1', '2'] }],
    ],
  ]
  for (const [name, field, values] of atBounds)
    bodies.push([`${name} at its bounds`, endpoint('POST /', { body: list(field) }), { body: values }])
  const cell = record({ x: integer(), y: integer({ optional: true }) })
  const ordered = record({ x: integer(), y: integer() }, { rules: (on) => [on.ascending('x', 'y')] })
  const plan = record({
    grid: list(record({ cells: list(cell), max: integer(), at: instant() })),
    mode: tagged('k', { fast: ordered, slow: record({}) }),
    inner: ordered,
    word: text(),
    price: decimal({ optional: true }),
    room: record({ x: integer({ optional: true }), y: integer({ optional: true }) }, { optional: true }),
  })
  const input = { grid: [{ cells: [{ x: 1, y: 2 }, { x: 2 }], max: 3, at: '2031-03-01T00:00:00Z' }], word: 'x' }
  const planned = endpoint('POST /', {
    body: plan,
    query: { q: text({ optional: true }) },
    rules: (on) => [
      on.ascending('body.grid[].cells[].x', 'body.grid[].max' as never),
      on.atLeastOne('query.q', 'body.word'),
      on.exactlyOne('body.room.x', 'body.room.y'),
      on.needed(
        'body.grid[].cells[].y',
        on.any(
          on.above('body.grid[].cells[].x', 5),
          on.all(on.is('body.mode.k', 'slow'), on.is('body.mode.k', 'fast')),
        ),
      ),
      on.absent('body.price', on.all(on.sent('body.word'), on.not(on.in('body.word', ['x', 'y'])))),
      on.while(on.suits('body.word', text({ length: [1, 2] })), [on.distinct('body.grid[].cells[].x')]),
      on.needed('query.q', on.above('body.inner.x', on.other('body.inner.y'))),
    ],
  })
  for (const mode of [{ k: 'fast', x: 1, y: 2 }, { k: 'slow' }])
    bodies.push([`rules in a ${mode.k} branch`, planned, { body: { ...input, inner: { x: 1, y: 2 }, mode } }])
  const texts = { query: { yes: 'true', no: 'false', n: '-7', x: '0.5', all: ['1', '2'] } }
  const asked = { yes: flag(), no: flag(), n: integer({ optional: true }), x: number(), all: list(integer()) }
  bodies.push(['texts of a query', endpoint('GET /', { query: asked }), texts])
  for (const [name, field, value] of kinds as [
    string,
    Field & { kind: keyof typeof every; tidy?: unknown },
    unknown,
  ][]) {
    if (every[field.kind].shape !== 'scalar' || field.tidy) continue
    const made = { ...field, need: 'optional', readOnly: 'drop' } as Field
    const body = record({ made, sent: field, bare: record({}, { readOnly: true }) } as never) as Field
    const given = { body: { sent: value } }
    const filled = (on: { fill: (...all: unknown[]) => never }) => [
      on.fill('body.made', ['body.sent'], (sent: unknown) => sent),
    ]
    const fitted = (on: { fits: (...all: unknown[]) => never }) => [on.fits('body.sent', field)]
    for (const [rule, rules] of Object.entries({ fill: filled, fits: fitted }))
      bodies.push([`${rule} of ${name}`, endpoint('POST /', { body, rules } as never), given])
  }
  const isInterpreted = (): never => {
    throw new Error('the interpreter was asked')
  }
  const made = { 'in place': (app: Intake) => app, 'ahead of time': withCode }
  test.each(Object.keys(made).flatMap((how) => bodies.map((one) => [how as keyof typeof made, ...one] as const)))(
    '%s: %s',
    (how, _, declared, given) => {
      const { path = {}, query = {}, header = {}, body } = given as { [part: string]: object }
      const node = endpointNode(made[how](intake({ endpoints: { declared } })).endpoints['declared'] as Endpoint)
      const { read, judge, placed } = compiled(node, node.bodies[0])
      const { walk, ...rest } = startRun(clock.getTime())
      const run = { ...rest, walk, interpreter: { ...rest.interpreter, interpret: isInterpreted } }
      // What is wrong with a scalar is reported at a path that is put there.
      Object.defineProperty(run, 'path', { get: () => walk, set: isInterpreted })
      const sent = { path, query, header, body }
      const input = read(path, query, header, undefined, body, run as never, true, true)
      const interpreter = {
        judgePlaced: isInterpreted,
        judgeUnplaced: isInterpreted,
        judge: isInterpreted,
        wrong: {} as never,
      }
      const about = {
        accept: undefined,
        isKnown: false,
        isLost: false,
        isTextBody: false,
        found: 0,
        barred: undefined,
        interpreter,
      }
      expect(judge === undefined).toBe(placed.rules.length === 0)
      judge?.({ placed, root: placed.root, sent, input, run: run as never, ...about })
      expect([run.faults, walk]).toEqual([[], []])
    },
  )
})

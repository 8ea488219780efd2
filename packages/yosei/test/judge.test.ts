import { describe, expect, test } from '@jest/globals'
import {
  adding,
  allOptional,
  answer,
  anything,
  choice,
  either,
  endpoint,
  flag,
  instant,
  intake,
  integer,
  judge,
  judgeParts,
  list,
  number,
  type RequestLike,
  record,
  table,
  tagged,
  text,
  tuple,
} from 'yosei'

const item = record({
  name: text({ length: [2, 5], tidy: ['trim'] }),
  price: number({ above: 0, below: 100, step: 0.1 }),
  secret: text({ length: [4, 8], secret: true, optional: true }),
  sizes: list(record({ low: integer(), high: integer(), unit: choice(['mm', 'in'], { default: 'mm' }) }), {
    length: [1, 3],
    distinct: 'low',
  }),
  valid: record({ from: instant({ from: '2031-01-01T00:00:00Z' }), until: instant({ until: '+2d' }) }),
})
const app = intake({
  base: '/api',
  endpoints: {
    list: endpoint('GET /items', {
      query: {
        limit: integer({ min: 1, max: 9, step: 3, default: 6 }),
        tag: list(text({ pattern: /^[a-z]+$/g }), { optional: true }),
        all: flag({ optional: true }),
        mail: text({ format: 'email', optional: true }),
      },
      header: {
        'X-Page': list(integer(), { optional: true }),
        Authorization: text({ length: [20, 90], optional: true }),
      },
    }),
    mine: endpoint('GET /items/mine', {}),
    one: endpoint('GET /items/{id}', { path: { id: integer() } }),
    drop: endpoint('DELETE /items/{id}', { path: { id: text() } }),
    create: endpoint('POST /items', {
      body: item,
      success: 201,
      rules: (on) => [
        on.ascending('body.sizes[].low', 'body.sizes[].high', { orEqual: true }),
        on.ascending('body.valid.from', 'body.valid.until', {
          code: 'backwards',
          message: 'runs backwards from {other}',
        }),
        on.equal('body.name', 'body.secret'),
        on.check({
          reads: ['body.sizes[].high', 'body.price'],
          code: 'too_dear',
          holds: (highs, price) => price <= highs.length * 10,
        }),
      ],
    }),
    change: endpoint('PATCH /items/{id}', {
      path: { id: integer() },
      body: allOptional(adding(item, { id: integer() })),
      rules: (on) => [on.equal('path.id', 'body.id'), on.atLeastOne('body.name', 'body.price')],
    }),
  },
})
const now = new Date('2031-03-01T12:00:00Z')
const judged = (request: RequestLike) => judge(app, request, { now })
/** A rejection as its status and `address code` lines; an acceptance as its input. */
const outline = async (request: RequestLike) => {
  const verdict = await judged(request)
  return verdict.outcome === 'accepted'
    ? verdict.input
    : [verdict.status, ...verdict.errors.map(({ address, code }) => `${address} ${code}`)]
}
const good = {
  name: 'lens',
  price: 9.9,
  sizes: [{ low: 1, high: 2 }],
  valid: { from: '2031-03-01T00:00:00Z', until: '2031-03-02T00:00:00Z' },
}
const post = (body: unknown, type = 'application/json') =>
  `POST /api/items HTTP/1.1\nContent-Type: ${type}\n\n${typeof body === 'string' ? body : JSON.stringify(body)}`
const get = (target: string, ...headers: string[]) => [`GET ${target} HTTP/1.1`, ...headers].join('\n')

describe('a request is matched', () => {
  test.each([
    ['literal segments before parameters', get('/api/items/mine'), 'mine'],
    ['back out of a literal segment for another method', 'DELETE /api/items/mine HTTP/1.1', 'drop'],
    ['HEAD as GET', 'HEAD /api/items HTTP/1.1', 'list'],
    ['an encoded literal', get('/api/it%65ms'), 'list'],
    ['an absolute target', get('http://kr.example/api/items?limit=3'), 'list'],
    ['a fetch Request', new Request('http://kr.example/api/items/7'), 'one'],
    ['pieces', { method: 'GET', target: '/api/items', headers: { 'x-page': ['1', '2'] } }, 'list'],
  ])('%s', async (_, request, endpoint) => {
    expect(await judged(request)).toMatchObject({ outcome: 'accepted', endpoint })
  })
  test.each([
    [get('/items'), 404, {}],
    [get('/api/items/'), 404, {}],
    [get('/api/items/..'), 404, {}],
    ['PUT /api/items HTTP/1.1', 405, { allow: 'GET, HEAD, OPTIONS, POST' }],
    ['PUT /api/items/mine HTTP/1.1', 405, { allow: 'DELETE, GET, HEAD, OPTIONS, PATCH' }],
    ['no request at all', 400, {}],
    [get('/api/items', 'X Page: 1'), 400, {}],
  ])('%s: %i', async (request, status, headers) => {
    expect(await judged(request)).toMatchObject({ outcome: 'rejected', status, headers })
  })
})

describe('parts are read', () => {
  test.each<[string, RequestLike, object]>([
    ['defaults', get('/api/items'), { query: { limit: 6 }, header: {} }],
    [
      'repeated names, blanks and a bare flag',
      get('/api/items?all&tag=a&t%61g=b&limit=9'),
      { query: { tag: ['a', 'b'], all: true, limit: 9 } },
    ],
    ['empty text as absent', get('/api/items?limit=&mail='), { query: { limit: 6 } }],
    [
      'lists in header fields, over lines and commas',
      get('/api/items', 'x-page: 1, 2', 'X-Page:3'),
      { header: { 'x-page': [1, 2, 3] } },
    ],
    ['a path parameter', get('/api/items/-7'), { path: { id: -7 } }],
    ['a byte order mark', post(`\uFEFF${JSON.stringify(good)}`), { body: { name: 'lens' } }],
    [
      'bytes',
      {
        method: 'POST',
        target: '/api/items',
        headers: [['Content-Type', 'APPLICATION/JSON; charset="UTF-8"']],
        body: new TextEncoder().encode(JSON.stringify({ ...good, name: ' äö ' })),
      },
      {
        body: {
          name: 'äö',
          sizes: [{ low: 1, high: 2, unit: 'mm' }],
          valid: { from: new Date('2031-03-01T00:00:00Z') },
        },
      },
    ],
  ])('%s', async (_, request, input) => {
    expect(await outline(request)).toMatchObject(input)
  })
  test('what was not sent to a change stays not sent', async () => {
    expect(await outline('PATCH /api/items/1 HTTP/1.1\nContent-Type: application/json\n\n{"name":"lens"}')).toEqual({
      path: { id: 1 },
      query: {},
      header: {},
      cookie: {},
      body: { name: 'lens' },
    })
  })
})

describe('a request is rejected, with all errors at once', () => {
  test.each<[string, RequestLike, (string | number)[]]>([
    [
      'every part',
      get('/api/items?limit=12&limits=1&all=yes&mail=a@&tag=A&tag=b', 'X-Page: 1, x', 'Authorization: short'),
      [
        400,
        'query.limit above_max',
        'query.tag[0] wrong_pattern',
        'query.all wrong_type',
        'query.mail wrong_format',
        'query.limits unlisted',
        'header.x-page[1] wrong_type',
        'header.authorization too_short',
      ],
    ],
    ['a step', get('/api/items?limit=4'), [400, 'query.limit not_a_step']],
    ['a name sent twice', get('/api/items?limit=3&limit=6'), [400, 'query.limit sent_twice']],
    [
      'broken encodings, at the field or the part',
      get('/api/items?limit=%f&%=1'),
      [400, 'query bad_encoding', 'query.limit bad_encoding'],
    ],
    ['a broken encoding in the path', get('/api/items/%ff'), [400, 'path.id bad_encoding']],
    ['a body too many', { method: 'GET', target: '/api/items', body: '{}' }, [400, 'body unlisted']],
    ['a body too few', 'POST /api/items HTTP/1.1', [400, 'body missing']],
    [
      'no media type',
      { method: 'POST', target: '/api/items', body: '{}' },
      [415, 'header.content-type wrong_media_type'],
    ],
    ['another media type', post('a=1', 'text/plain'), [415, 'header.content-type wrong_media_type']],
    ['another charset', post(good, 'application/json; charset=latin1'), [415, 'header.content-type wrong_media_type']],
    ['no JSON', post('{"a": 1,}'), [400, 'body bad_syntax']],
    [
      'no UTF-8',
      {
        method: 'POST',
        target: '/api/items',
        headers: { 'content-type': 'application/json' },
        body: new Uint8Array([0x22, 0xff, 0x22]),
      },
      [400, 'body bad_syntax'],
    ],
    [
      'a syntax error beside another part',
      'PATCH /api/items/x HTTP/1.1\nContent-Type: application/json\n\n[',
      [400, 'path.id wrong_type', 'body bad_syntax'],
    ],
    ['another type at the root', post([]), [422, 'body wrong_type']],
    [
      'everything missing',
      post({}),
      [422, 'body.name missing', 'body.price missing', 'body.sizes missing', 'body.valid missing'],
    ],
    [
      'null',
      post({ ...good, name: null, sizes: [null] }),
      [422, 'body.name null_not_allowed', 'body.sizes[0] null_not_allowed'],
    ],
    [
      'numbers',
      post({ ...good, price: 100.05, sizes: [{ low: 1.5, high: 1e16 }] }),
      [
        422,
        'body.price above_max',
        'body.price not_a_step',
        'body.sizes[0].low not_whole',
        'body.sizes[0].high out_of_range',
      ],
    ],
    ['texts by code points', post({ ...good, name: '🔭' }), [422, 'body.name too_short']],
    ['lists', post({ ...good, sizes: [] }), [422, 'body.sizes too_few']],
    [
      'elements that repeat',
      post({
        ...good,
        sizes: [
          { low: 1, high: 2 },
          { low: 1, high: 3 },
        ],
      }),
      [422, 'body.sizes[1].low repeated'],
    ],
    [
      'a choice of another case, and of another type',
      post({
        ...good,
        sizes: [
          { low: 1, high: 2, unit: 'MM' },
          { low: 2, high: 2, unit: 1 },
        ],
      }),
      [422, 'body.sizes[0].unit not_a_choice', 'body.sizes[1].unit wrong_type'],
    ],
    [
      'instants against the clock',
      post({ ...good, valid: { from: '2030-12-31T23:59:59Z', until: '2031-03-03T12:00:00.001Z' } }),
      [422, 'body.valid.from too_early', 'body.valid.until too_late'],
    ],
    [
      'instants that are none',
      post({ ...good, valid: { from: '2031-02-29T00:00:00Z', until: '2031-03-03 12:00' } }),
      [422, 'body.valid.from unreal_date', 'body.valid.until wrong_format'],
    ],
    [
      'names of prototypes',
      post(`{"name":"lens","price":1,"sizes":[],"valid":1,"__proto__":{"a":1},"constructor":2}`),
      [422, 'body.sizes too_few', 'body.valid wrong_type', 'body.__proto__ unlisted', 'body.constructor unlisted'],
    ],
    [
      'rules beside shape errors, element by element',
      post({
        ...good,
        name: 'x',
        sizes: [
          { low: 1, high: 1 },
          { low: 3, high: 2 },
          { low: 5, high: 4 },
        ],
      }),
      [422, 'body.name too_short', 'body.sizes[1].high out_of_order', 'body.sizes[2].high out_of_order'],
    ],
    [
      'no rule on what is wrong, the others still',
      post({ ...good, sizes: [{ low: 'x', high: 0 }], valid: { from: good.valid.until, until: good.valid.from } }),
      [422, 'body.sizes[0].low wrong_type', 'body.valid.until backwards'],
    ],
    ['an own check', post({ ...good, price: 10.1 }), [422, 'body.price too_dear']],
    [
      'two parts that differ',
      'PATCH /api/items/1 HTTP/1.1\nContent-Type: application/json\n\n{"id":2}',
      [422, 'body none_present', 'body.id unequal'],
    ],
  ])('%s', async (_, request, expected) => {
    expect(await outline(request)).toEqual(expected)
  })
})

describe('a rejection', () => {
  const secret = 'hunter2'
  const rejected = async (body: object) => {
    const verdict = await judge(app, post(body), { now, trace: true })
    if (verdict.outcome !== 'rejected') throw new Error('accepted')
    return verdict
  }
  test('is plain data, which may be wrapped, copied and sent', async () => {
    const verdict = await rejected({ ...good, price: 0, prise: 1 })
    expect(verdict.errors.length).toBeGreaterThan(0)
    const copy = JSON.parse(JSON.stringify(verdict))
    const wrapped = (one: object): object =>
      new Proxy(one, {
        get(target, key, receiver) {
          const value = Reflect.get(target, key, receiver)
          return typeof value === 'object' && value !== null && !(value instanceof Date) ? wrapped(value) : value
        },
      })
    for (const form of [wrapped(verdict), structuredClone(verdict), { ...verdict }])
      expect(JSON.parse(JSON.stringify(form))).toEqual(copy)
    expect(Object.getPrototypeOf(verdict.errors[0])).toBe(Object.prototype)
  })

  test('says in words what would be right and what was sent', async () => {
    const { errorsByField } = await rejected({
      ...good,
      name: 'a telescope of great size and beauty, of brass',
      price: 0,
      prise: 1,
      valid: { from: good.valid.until, until: good.valid.from },
    })
    expect(
      Object.values(errorsByField)
        .flat()
        .map(({ address, message }) => `${address} ${message}`),
    ).toEqual([
      'body.name must have at most 5 characters; "a telescope of great size and beauty, … was sent',
      'body.price must be more than 0; 0 was sent',
      'body.valid.until runs backwards from body.valid.from ("2031-03-02T00:00:00Z")',
      'body.prise is not known here; price is',
    ])
  })
  test('never tells a secret', async () => {
    for (const body of [
      { ...good, secret: `${secret}-long` },
      { ...good, secret },
      { ...good, secret: 'xyz' },
      { ...good, name: 'hunt' },
      secret,
    ]) {
      const verdict = await judge(app, post(body as object), { now, trace: true })
      const told = JSON.stringify(verdict) + (verdict.outcome === 'rejected' ? await answer(verdict).text() : '')
      expect(verdict.outcome === 'rejected' ? told : '').not.toMatch(/hunter|xyz/)
    }
  })
  test('is answered as a problem document', async () => {
    const response = answer(await rejected({ ...good, name: 'x', price: 0 }))
    expect([response.status, response.headers.get('content-type'), response.headers.get('cache-control')]).toEqual([
      422,
      'application/problem+json',
      'no-store',
    ])
    expect(await response.json()).toEqual({
      type: 'about:blank',
      title: 'Unprocessable Content',
      status: 422,
      detail: 'body.name must have at least 2 characters; "x" was sent, and 1 more error',
      instance: expect.stringMatching(/^urn:uuid:[0-9a-f-]{36}$/),
      fields: {
        'body.name': [{ code: 'too_short', detail: 'must have at least 2 characters; "x" was sent', pointer: '/name' }],
        'body.price': [{ code: 'below_min', detail: 'must be more than 0; 0 was sent', pointer: '/price' }],
      },
    })
    const notAllowed = await judged('PUT /api/items HTTP/1.1')
    expect(notAllowed.outcome === 'rejected' && answer(notAllowed).headers.get('allow')).toBe(
      'GET, HEAD, OPTIONS, POST',
    )
  })
  test('lists fifty errors and counts the rest', async () => {
    const { errors, more } = await rejected({
      ...good,
      sizes: [{ low: 1, high: 2 }],
      ...Object.fromEntries(Array.from({ length: 70 }, (_, i) => [`x${i}`, 1])),
    })
    expect([errors.length, more]).toEqual([50, 20])
  })
  test('traces each reading', async () => {
    const { trace } = await rejected({ ...good, price: 'dear', secret })
    expect(trace?.readings).toEqual(
      expect.arrayContaining([
        { address: 'body.name', sent: 'lens', read: 'lens', how: 'as is' },
        { address: 'body.price', sent: 'dear', read: undefined, how: 'as is' },
        { address: 'body.secret', sent: '(secret)', read: '(secret)', how: 'as is' },
        { address: 'body.sizes[0].unit', sent: undefined, read: 'mm', how: 'default' },
      ]),
    )
  })
})

test('a trace has one reading for each value, how it was read, and nothing else', async () => {
  const mixed = endpoint('PUT /r/{id}', {
    path: { id: integer() },
    query: {
      bad: text({ optional: true }),
      twice: integer({ optional: true }),
      deep: record({ a: text() }, { optional: true }),
      many: list(integer(), { optional: true }),
    },
    body: record({
      word: text({ tidy: ['trim'] }),
      none: text({ nullable: true }),
      no: text({ optional: true }),
      lost: text({ optional: true }),
      made: integer({ default: 3 }),
      set: text({ readOnly: 'drop', optional: true }),
      again: integer({ readOnly: 'drop', default: 7 }),
      union: either([integer(), text()]),
      empty: list(text()),
      any: anything(),
      kind: tagged('k', { x: record({ n: integer() }) }),
      names: table(integer()),
      pair: tuple([integer(), text()]),
      wrong: integer(),
      key: text({ secret: true }),
      sum: integer({ optional: true }),
    }),
    rules: (on) => [on.fill('body.sum', ['body.made'], (made) => made + 1)],
  })
  const body = {
    word: ' x ',
    none: null,
    lost: null,
    set: 'q',
    again: 9,
    union: 'u',
    empty: [],
    any: { a: [1] },
    kind: { k: 'x', n: 1 },
    names: { a: 1 },
    pair: [1, 'b'],
    wrong: 'w',
    key: 'k',
  }
  const query = 'bad=%zz&twice=1&twice=2&deep=1&deep=2&many=1&many=x'
  const request = `PUT /r/5?${query} HTTP/1.1\nContent-Type: application/json\n\n${JSON.stringify(body)}`
  const { trace } = await judge(intake({ endpoints: { mixed } }), request, { trace: true })
  expect(trace?.readings.map(({ address, how, sent, read }) => [address, how, sent, read])).toEqual([
    ['path.id', 'from text', '5', 5],
    ['query.bad', 'from text', undefined, undefined],
    ['query.twice', 'from text', ['1', '2'], undefined],
    ['query.deep', 'from text', undefined, undefined],
    ['query.many[0]', 'from text', '1', 1],
    ['query.many[1]', 'from text', 'x', undefined],
    ['body.word', 'tidied', ' x ', 'x'],
    ['body.none', 'as is', null, null],
    ['body.no', 'as is', undefined, undefined],
    ['body.lost', 'as is', null, undefined],
    ['body.made', 'default', undefined, 3],
    ['body.set', 'dropped', 'q', undefined],
    ['body.again', 'dropped', 9, 7],
    ['body.union', 'as is', 'u', 'u'],
    ['body.empty', 'as is', [], []],
    ['body.any', 'as is', { a: [1] }, { a: [1] }],
    ['body.kind.k', 'as is', 'x', 'x'],
    ['body.kind.n', 'as is', 1, 1],
    ['body.names.a', 'as is', 1, 1],
    ['body.pair[0]', 'as is', 1, 1],
    ['body.pair[1]', 'as is', 'b', 'b'],
    ['body.wrong', 'as is', 'w', undefined],
    ['body.key', 'as is', '(secret)', '(secret)'],
    ['body.sum', 'as is', undefined, undefined],
    ['body.sum', 'filled', undefined, 4],
  ])
})

test('parts that are split already are judged without a request', () => {
  const { change } = app.endpoints
  expect(judgeParts(change, { path: { id: '1' }, body: { price: 2 } })).toMatchObject({
    outcome: 'accepted',
    input: { path: { id: 1 }, body: { price: 2 } },
  })
  expect(judgeParts(change, { path: { id: ['1', '2'] }, body: null })).toMatchObject({
    status: 400,
    errors: [
      { address: 'path.id', code: 'sent_twice' },
      { address: 'body', code: 'null_not_allowed', pointer: '' },
    ],
  })
})

test.each([
  ['POST items', {}, /slash/],
  ['POST /a/{x}/{x}', { path: { x: text() } }, /\{x\} stands twice/],
  [
    'POST /a',
    {
      body: record({ a: text() }),
      rules: (on: { check: (rule: object) => unknown }) => [
        on.check({ reads: ['body.b'], code: 'odd', holds: () => true }),
      ],
    },
    /body\.b is not declared/,
  ],
])('a declaration that makes no sense throws: %s', (signature, declaration, message) => {
  expect(() => endpoint(signature, declaration as never)).toThrow(message)
})

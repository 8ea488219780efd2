/** Descriptions as modules: what they say, that they compile, and that they judge as the description does. */
import { spawnSync } from 'node:child_process'
import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { DeclarationError, endpoint, judge, judgeValue, like, outline, readAs, record, text } from 'yosei'
import { readJsonSchema, writeJsonSchema } from 'yosei/json-schema'
import { adoptOpenApi, credentials, readOpenApi, readParameter } from 'yosei/openapi'
import { requestsOf } from 'yosei/probe'
import { adopted } from './adopted.ts'

type Json = { readonly [name: string]: unknown }
const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
const object = (properties: Json, required: readonly string[] = [], more: Json = {}) => ({
  type: 'object',
  properties,
  required,
  ...more,
})
const texts = { type: 'string' }
const body = (schema: unknown, type = 'application/json') => ({ required: true, content: { [type]: { schema } } })
const bakery = {
  openapi: '3.1.0',
  info: { title: 'Bakery */', version: '2' },
  servers: [{ url: 'https://bakery.example/v2' }],
  security: [{ key: [] }],
  paths: {
    '/orders': {
      post: {
        operationId: 'orders/create',
        summary: 'Place an order */ for us',
        tags: ['Orders'],
        requestBody: body(ref('Order')),
        responses: { 201: { description: 'Made.' } },
      },
      get: {
        operationId: 'list',
        tags: ['Orders'],
        parameters: [
          { $ref: '#/components/parameters/Limit' },
          { name: 'filter', in: 'query', content: body(ref('Filter')).content },
          {
            name: 'state',
            in: 'query',
            style: 'pipeDelimited',
            schema: { type: 'array', items: { enum: ['open', 'baked'] } },
          },
        ],
      },
    },
    '/orders/{id}': {
      parameters: [{ name: 'id', in: 'path', required: true, style: 'matrix', schema: { type: 'integer' } }],
      get: { tags: ['Orders'], security: [], operationId: 'class' },
      patch: {
        tags: ['Orders'],
        parameters: [{ $ref: '#/components/parameters/Limit' }],
        security: [{ bearer: [] }, { key: [], other: [] }],
        requestBody: body(object({ note: { type: ['string', 'null'] } }, [], { minProperties: 1 })),
      },
    },
    '/cakes': { put: { operationId: 'putCake', tags: ['Cakes & Pies'], requestBody: body(ref('Cake')) } },
    '/photos': {
      post: {
        operationId: 'addPhoto',
        requestBody: {
          content: {
            'multipart/form-data': {
              schema: object({ photo: { ...texts, format: 'binary' }, cake: ref('Cake') }, ['photo']),
            },
          },
        },
      },
    },
    '/parcels': { post: { operationId: 'send', requestBody: body(ref('Parcel')) } },
    '/payments': {
      post: {
        operationId: 'pay',
        requestBody: body({ oneOf: [ref('Card'), ref('Cash')], discriminator: { propertyName: 'by' } }),
      },
    },
  },
  components: {
    parameters: {
      Limit: { name: 'limit', in: 'query', schema: { type: 'integer', minimum: 1, maximum: 100, default: 20 } },
    },
    securitySchemes: {
      key: { type: 'apiKey', in: 'header', name: 'X-Key' },
      bearer: { type: 'http', scheme: 'bearer' },
      other: { type: 'apiKey', in: 'query', name: 'token' },
    },
    schemas: {
      Filter: object({ from: { ...texts, format: 'date' } }, [], { additionalProperties: false }),
      Order: object(
        {
          items: {
            type: 'array',
            minItems: 1,
            items: object({ cake: ref('Cake'), count: { type: 'integer' } }, ['cake']),
          },
          customer: { ...ref('Person'), description: 'Who pays. Not who eats.' },
          gift: ref('Person'),
          phone: { ...texts, pattern: '^\\+?[0-9 ]+$' },
          email: { ...texts, format: 'email' },
          placed: { ...texts, readOnly: true },
          pin: { ...texts, writeOnly: true, minLength: 4 },
          coupon: texts,
        },
        ['items', 'customer'],
        {
          anyOf: [{ required: ['phone'] }, { required: ['email'] }],
          dependentRequired: { coupon: ['email'] },
          not: { required: ['gift', 'coupon'] },
        },
      ),
      Person: object({ name: { ...texts, minLength: 1 } }, ['name'], { examples: [{ name: 'Ada', extra: 1 }] }),
      Cake: object(
        { name: texts, layers: { type: 'array', items: ref('Layer') }, top: ref('Cake'), ['__proto__']: texts },
        ['name'],
      ),
      Layer: object({ of: ref('Cake'), weights: { type: 'array', contains: { const: 5 } } }),
      // It holds itself, and a union that a text chooses in.
      Parcel: object(
        {
          inside: ref('Parcel'),
          at: texts,
          by: { oneOf: [ref('van'), ref('foot')], discriminator: { propertyName: 'kind' } },
        },
        ['by'],
      ),
      van: object({ kind: texts, plate: texts }, ['kind', 'plate']),
      foot: object({ kind: texts }, ['kind']),
      Card: object({ by: texts, number: { ...texts, pattern: '^[0-9]{4,8}$' } }, ['by', 'number']),
      Cash: object({ by: texts, file: texts }, ['by'], { additionalProperties: false }),
    },
  },
}

test('a module is as a person would write it', () => {
  const { intake, ...others } = adoptOpenApi(bakery).modules
  expect(others).toEqual({})
  for (const line of [
    ' * Adopted from the OpenAPI description Bakery *\\/ 2.',
    ' * - /components/securitySchemes/key: the security scheme key. It must be sent, and is not verified. Verify it in identify.',
    "import { credentials, readParameter } from 'yosei/openapi'",
    'export const limit = integer({ min: 1, max: 100, default: 20 })',
    'export const layer = record({ of: later(() => cake, { optional: true }), weights: like(readJsonSchema({ contains: { const: 5 } }, { field: list(anything()) }), { optional: true }) }, { unlisted: "keep" })',
    "export type Cake = { name: string; layers?: ({ of?: Cake; weights?: (unknown)[] })[]; top?: Cake; ['__proto__']?: string }",
    'export const person = record({ name: text({ length: [1, Infinity] }) }, { unlisted: "keep", examples: [{ name: "Ada", extra: 1 }] })',
    'customer: like(person, { description: "Who pays. Not who eats." }), gift: like(person, { optional: true })',
    'phone: text({ pattern: /^\\+?[0-9 ]+$/u, optional: true })',
    'placed: anything({ readOnly: "drop" }), pin: text({ length: [4, Infinity], optional: true, secret: true })',
    'rules: (on) => [on.atLeastOne("phone", "email"), on.needed("email", on.sent("coupon")), on.atMostOne("gift", "coupon")]',
    '/** Place an order *\\/ for us */\nexport const ordersCreate = endpoint("POST /orders", { title: "Place an order */ for us", tags: ["Orders"], success: 201, body: order })',
    'export const listEndpoint = endpoint("GET /orders", { tags: ["Orders"], query: { limit, filter: readParameter({ name: "filter", in: "query", $defs: { Filter: ',
    'state: list(choice(["open", "baked"]), { style: "pipeDelimited", optional: true })',
    'id: readParameter({ name: "id", in: "path", required: true, style: "matrix", schema: { type: "integer" } })',
    'body: readJsonSchema({ minProperties: 1 }, { field: record({ note: text({ optional: true, nullable: true }) }) })',
    'body: tagged("by", { Card: without(card, ["by"]), Cash: without(cash, ["by"]) })',
    'base: "/v2",\nunlisted: { body: "keep", query: "drop" },',
    'class: classEndpoint, "patch /orders/{id}": patchOrdersId',
    '"patch /orders/{id}": [{ bearer: [] }, { key: [], other: [] }]',
    'endpoints: { "orders/create": ordersCreate, list: listEndpoint, class: classEndpoint, ',
  ])
    expect(intake).toContain(line)
})

const value: fc.Arbitrary<unknown> = fc.letrec((tie) => ({
  any: fc.oneof(
    { maxDepth: 3 },
    fc.constantFrom(null, true, 0, 1, 1.5, -1, 1e20, '', 'a', 'abc', '2031-03-01'),
    fc.array(tie('any'), { maxLength: 3 }),
    fc.dictionary(fc.constantFrom('a', 'b', 'c', '__proto__', 'a b'), tie('any'), { maxKeys: 3 }),
  ),
})).any
const schema: fc.Arbitrary<unknown> = fc.letrec((tie) => {
  const name = fc.constantFrom('a', 'b', 'c', '__proto__', 'a b')
  const schemas = fc.array(tie('one'), { minLength: 1, maxLength: 3 })
  const count = fc.constantFrom(0, 1, 2, 3)
  const names = fc.uniqueArray(name, { minLength: 1, maxLength: 3 })
  const simple = {
    type: fc.constantFrom(
      'object',
      'object',
      'array',
      'string',
      'integer',
      'number',
      'boolean',
      ['object', 'null'],
      ['string', 'null'],
    ),
    properties: fc.dictionary(name, tie('one'), { minKeys: 1, maxKeys: 3 }),
    required: names,
    additionalProperties: fc.oneof(fc.constant(false), tie('one')),
    items: tie('one'),
    minLength: count,
    maximum: count,
    maxItems: count,
    pattern: fc.constantFrom('^a', '^.{1,3}$'),
    format: fc.constantFrom('date', 'int32'),
    enum: fc.array(value, { minLength: 1, maxLength: 3 }),
    default: value,
    examples: fc.array(value, { minLength: 1, maxLength: 2 }),
    description: fc.constantFrom('What. It is */', '`x` \\ $y'),
    readOnly: fc.constant(true),
    writeOnly: fc.constant(true),
    nullable: fc.constant(true),
  }
  const others = {
    allOf: schemas,
    anyOf: schemas,
    oneOf: schemas,
    not: tie('one'),
    dependentRequired: fc.dictionary(name, names, { maxKeys: 2 }),
    propertyNames: fc.oneof(fc.constant({ pattern: '^a' }), tie('one')),
    contains: tie('one'),
    minProperties: count,
    unevaluatedProperties: fc.constant(false),
    patternProperties: fc.record({ '^a': tie('one') }),
  }
  return {
    one: fc.oneof(
      { maxDepth: 3, withCrossShrink: true },
      fc.constantFrom<unknown>({ type: 'string' }, { type: 'integer' }, {}, true, ref('X'), ref('Y'), ref('X')),
      {
        weight: 3,
        arbitrary: fc
          .record(simple, { requiredKeys: ['type'], noNullPrototype: true })
          .chain((all) =>
            fc
              .subarray(Object.keys(all))
              .map((keys) =>
                Object.fromEntries(Object.entries(all).filter(([key]) => key === 'type' || keys.includes(key))),
              ),
          ),
      },
      fc
        .record({ ...simple, ...others }, { requiredKeys: [], noNullPrototype: true })
        .chain((all) =>
          fc
            .subarray(Object.keys(all), { maxLength: 4 })
            .map((keys) => Object.fromEntries(Object.entries(all).filter(([key]) => keys.includes(key)))),
        ),
    ),
  }
}).one
const styles = {
  query: ['form', 'deepObject', 'pipeDelimited'],
  path: ['simple', 'label', 'matrix'],
  header: ['simple'],
} as const
const parameter = (where: keyof typeof styles, name: string) =>
  fc
    .tuple(schema, fc.boolean(), fc.constantFrom(...styles[where]), fc.boolean(), fc.boolean())
    .map(([one, required, style, explode, isJson]) => ({
      name,
      in: where,
      required: where === 'path' || required,
      ...(isJson ? { content: { 'application/json': { schema: one } } } : { style, explode, schema: one }),
    }))
const described = fc
  .record({
    version: fc.constantFrom('3.1.0', '3.0.3'),
    X: schema,
    Y: schema,
    json: schema,
    form: schema,
    union: fc.boolean(),
    parameters: fc.tuple(parameter('path', 'p'), parameter('query', 'q'), parameter('header', 'h')),
  })
  .map(({ version, X, Y, json, form, union, parameters }) => ({
    openapi: version,
    info: { title: 'Any', version: '1' },
    paths: {
      '/a': {
        post: {
          operationId: 'delete',
          requestBody: body(union ? { oneOf: [ref('X'), ref('Y')], discriminator: { propertyName: 'a' } } : json),
        },
      },
      '/b/{p}': { get: { parameters } },
      '/c': { put: { operationId: 'record', requestBody: body(form, 'application/x-www-form-urlencoded') } },
    },
    components: { schemas: { X, Y } },
  }))
/** Descriptions that can be read. */
const documents = fc
  .sample(described, { numRuns: Number(process.env['PROPERTY_RUNS'] ?? 150), seed: Number(process.env['SEED'] ?? 11) })
  .filter((document) => {
    try {
      return readOpenApi(document)
    } catch (error) {
      expect(error).toBeInstanceOf(DeclarationError)
      return false
    }
  })

const nasty = [
  'a*/b',
  '`$x',
  'x\'y"z\\',
  'l\u2028\u2029',
  '\ud800',
  'new\nline',
  '1a',
  '名前',
  '__proto__',
  'constructor',
  '',
]
const doubled = Array.from({ length: 40 }, (_, index) => [
  `s${index}`,
  object({ a: ref(`s${index + 1}`), b: ref(`s${index + 1}`) }),
])
/** What its author would not write. */
const hostile = [
  [object(Object.fromEntries(nasty.map((name) => [name, { type: 'integer', description: name, default: 5 }]))), {}],
  [object(Object.fromEntries(nasty.map((name, index) => [`p${index}`, { enum: [name, 'a'], title: name }]))), {}],
  [
    object({ a: { ...texts, pattern: '^/[/]\\/\n$' }, b: { enum: [1e21, -0] }, c: { type: 'number', minimum: -1e-7 } }),
    {},
  ],
  [
    object(
      Object.fromEntries(['Field', 'text', 'on', 'await', 'IPAddress', 'a-b', 'aB'].map((name) => [name, ref(name)])),
    ),
    Object.fromEntries(
      ['Field', 'text', 'on', 'await', 'IPAddress', 'a-b', 'aB'].map((name) => [name, object({ n: texts })]),
    ),
  ],
  [ref('s0'), Object.fromEntries([...doubled, ['s40', object({ top: ref('s0') })]])],
  [ref('A'), { A: { type: ['object', 'null'], properties: { of: ref('A') }, required: ['of'] } }],
  [ref('A'), { A: { type: 'array', items: ref('B') }, B: { anyOf: [ref('A'), { type: 'integer' }] } }],
  [ref('T'), { T: { $dynamicAnchor: 'n', ...object({ all: { type: 'array', items: { $dynamicRef: '#n' } } }) } }],
].map(([schema, schemas]) => ({
  openapi: '3.1.0',
  info: { title: nasty.join(' '), version: '1' },
  paths: {
    '/a': { post: { operationId: nasty[0], summary: nasty.join(' '), tags: nasty, requestBody: body(schema) } },
  },
  components: { schemas },
}))

test('a module judges as its description does', async () => {
  const told = { accepted: 0, rejected: 0, pending: 0 }
  for (const [index, document] of [...documents, ...hostile, bakery].entries()) {
    const app = readOpenApi(document).intake as unknown as { base: string; endpoints: { [name: string]: never } }
    const module = await adopted(document)
    for (const [name, one] of Object.entries(app.endpoints)) {
      let count = 0
      for (const { message } of requestsOf(one, { seed: index })) {
        if (++count > (document === bakery ? 100 : 8)) break
        const credentials = [
          ['X-Key', '1'],
          ['Authorization', 'Bearer 1'],
        ] as const
        const sent = { ...message, target: app.base + message.target, headers: [...message.headers, ...credentials] }
        const [own, again] = await Promise.all(
          [app, module].map((by) => judge(by as never, sent as never, { services: {} })),
        )
        told[own?.outcome as 'accepted']++
        const about = { name, document: JSON.stringify(document), sent: JSON.stringify(sent) }
        const said = (verdict: typeof own) =>
          verdict?.outcome === 'rejected'
            ? String(verdict.status)
            : JSON.stringify(verdict?.outcome === 'accepted' ? verdict.input : verdict)
        expect({ ...about, said: said(again) }).toEqual({ ...about, said: said(own) })
      }
    }
  }
  expect(told).toMatchObject({ accepted: expect.any(Number), pending: 0 })
  expect(Math.min(told.accepted, told.rejected)).toBeGreaterThan(300)
}, 900_000)

const folder = fileURLToPath(new URL('./made/adopt/', import.meta.url))
beforeAll(() => void mkdirSync(folder, { recursive: true }))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
test('modules compile: one, one for each tag, and those of any description', () => {
  const byTag = adoptOpenApi(bakery, { split: 'tag' }).modules
  expect(Object.keys(byTag).sort()).toEqual(['cakes-pies', 'fields', 'intake', 'orders'])
  const all = [
    ...[...hostile, ...documents.slice(0, 60)].map(
      (document, index) => [`any${index}.ts`, adoptOpenApi(document).modules.intake] as const,
    ),
    ['whole.ts', adoptOpenApi(bakery).modules.intake] as const,
    ...Object.entries(byTag).map(([name, text]) => [`${name}.ts`, text] as const),
    // What handlers get is typed by the description.
    [
      'use.ts',
      `import type { Accepted } from 'yosei'
import type { putCake, ordersCreate, pay, send } from './whole.js'
declare const cake: Accepted<typeof putCake>['body']
export const name: string | undefined = cake.layers?.[0]?.of?.top?.name
declare const order: Accepted<typeof ordersCreate>['body']
export const customer: string = order.customer.name
export const gift: string | undefined = order.gift?.name
declare const payment: Accepted<typeof pay>['body']
export const number = payment.by === 'Card' ? payment.number : payment.file
declare const parcel: Accepted<typeof send>['body']
export const sent: string | undefined = parcel.inside?.by.kind === 'van' ? parcel.inside.by.plate : parcel.inside?.at
// @ts-expect-error A coupon may be missing.
export const coupon: string = order.coupon
`,
    ] as const,
  ]
  for (const [name, source] of all) writeFileSync(folder + name, source)
  const compilerOptions = {
    strict: true,
    exactOptionalPropertyTypes: true,
    noUncheckedIndexedAccess: true,
    noUnusedLocals: true,
    verbatimModuleSyntax: true,
    isolatedModules: true,
    noEmit: true,
    target: 'es2022',
    module: 'nodenext',
    types: ['node'],
  }
  writeFileSync(`${folder}tsconfig.json`, JSON.stringify({ compilerOptions, include: ['*.ts'] }))
  const tsc = fileURLToPath(new URL('../../../node_modules/typescript/bin/tsc', import.meta.url))
  expect(spawnSync(process.execPath, [tsc, '-p', folder], { encoding: 'utf8' })).toMatchObject({
    stdout: '',
    status: 0,
  })
}, 120_000)

test('like: the same field with other options', () => {
  const stop = record({ street: text(), town: text() })
  const trip = record({
    from: stop,
    to: like(stop, { optional: true, title: 'Where it ends' }),
    via: like(like(stop, { optional: true, default: { street: 'a', town: 'b' } }), { description: 'On the way.' }),
    link: like(
      readAs(text(), (sent: string) => new URL(sent), { code: 'bad_link' }),
      { optional: true, nullable: true },
    ),
  })
  const from = { street: 'c', town: 'd' }
  expect(judgeValue(trip, { from })).toMatchObject({ value: { from, via: { street: 'a', town: 'b' } } })
  expect(judgeValue(trip, { from, to: {}, link: null })).toMatchObject({
    errors: [{ address: 'to.street' }, { address: 'to.town' }],
  })
  const { fields = {} } = outline(endpoint('POST /a', { body: trip })).body['application/json'] ?? {}
  expect([fields['to']?.title, fields['from']?.title, fields['via']?.description]).toEqual([
    'Where it ends',
    undefined,
    'On the way.',
  ])
  expect(() => like(5 as never, {})).toThrow('like(): it makes a field of a field, and not of 5. Give it a field.')
  expect(() => like(stop, 5 as never)).toThrow('like(): its options are 5. Write them as an object: { … }.')
})

test('readJsonSchema narrows a field; what is secret there stays so', () => {
  const account = record({ name: text(), pin: text({ secret: true, optional: true }), hint: text({ optional: true }) })
  const field = readJsonSchema(
    {
      anyOf: [{ required: ['pin'] }, { required: ['hint'] }],
      properties: { pin: { not: { const: '1234' } }, name: { minLength: 2 } },
    },
    { field: account },
  )
  const errors = (value: unknown) => {
    const verdict = judgeValue(field, value)
    return verdict.outcome === 'accepted'
      ? []
      : verdict.errors.map(({ address, code, message }) => `${address} ${code} ${message}`)
  }
  expect(errors({ name: 'ab', hint: 'c' })).toEqual([])
  expect(errors({ name: 'ab' })).toEqual(['pin missing must be sent'])
  expect(errors({ name: 'a', pin: '1234' })).toEqual([
    'pin not_allowed_here has a value that is not allowed here',
    'name too_short must have at least 2 characters; "a" was sent',
  ])
  expect(errors({ name: 5, hint: 'c' })).toEqual(['name wrong_type must be text; 5 was sent'])
  expect(writeJsonSchema(field).schema).toMatchObject({
    allOf: [{ type: 'object', required: ['name'] }, { anyOf: [{ required: ['pin'] }, { required: ['hint'] }] }],
  })
  expect(() => readJsonSchema({}, { field: 5 as never })).toThrow(
    'readJsonSchema(): its field is 5. Give it a field, such as record({ … }).',
  )
})

test.each<[message: string, make: () => unknown]>([
  ['readParameter(): the parameter is 5. Write it as { name, in, schema }.', () => readParameter(5 as never)],
  [
    'readParameter(): it is no parameter that can be checked. Give it a name, and in: path, query, header or cookie.',
    () => readParameter({ name: 'a', in: 'body' as never }),
  ],
  [
    'readParameter(): each of its properties is a name in the query. Declare them as fields of the query.',
    () => readParameter({ name: 'a', in: 'query', schema: object({ b: texts }) }),
  ],
  [
    'credentials(): key is none of its schemes. Describe it in the first argument.',
    () => credentials({}, [{ key: [] }]),
  ],
  [
    'adoptOpenApi(): this is no description of OpenAPI 3.1 or 3.0, but an object. Give it the document as an object, with openapi and info.',
    () => adoptOpenApi({ swagger: '2.0' }),
  ],
])('%s', (message, make) => {
  expect(make).toThrow(message)
})

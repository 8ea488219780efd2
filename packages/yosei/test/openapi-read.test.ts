/** Descriptions of APIs as intakes: by the tables of the specification, and by what they permit. */
import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import YAML from 'yaml'
import { endpoint, type Field, type Intake, judge, judgeParts, intake as makeIntake, outline, record } from 'yosei'
import { type Note, type ReadOpenApiOptions, readOpenApi, writeOpenApi } from 'yosei/openapi'
import { adopted } from './adopted.ts'
import { enginePairs } from './samples.ts'

const info = { title: 'Boats', version: '1' }
type Json = { readonly [name: string]: unknown }
const described = (paths: Json, more: Json = {}) => ({ openapi: '3.1.0', info, paths, ...more })
const documents = new WeakMap<Intake, object>()
function readDocument(document: object, options: ReadOpenApiOptions = {}) {
  const made = readOpenApi(document, options)
  if (Object.keys(options).every((option) => option === 'documents')) documents.set(made.intake, { document, options })
  return made
}
const read = (paths: Json, more: Json = {}) => readDocument(described(paths, more))
type Part = 'path' | 'query' | 'header' | 'cookie' | 'body'
/** What a request is read to: a part of the input, or the status and the errors. The module of the description says the same. */
async function said(app: Intake, message: string, part: Part = 'body') {
  const own = await saidBy(app, message, part)
  const known = documents.get(app) as { document: object; options: object } | undefined
  if (known) {
    const again = await saidBy(await adopted(known.document, known.options), message, part)
    expect(JSON.stringify(again)).toBe(JSON.stringify(own))
  }
  return own
}
async function saidBy(app: Intake, message: string, part: Part) {
  const verdict = await judge(app, message, { services: {} })
  if (verdict.outcome === 'accepted') return (verdict.input as Json)[part]
  if (verdict.outcome !== 'rejected') return verdict.outcome
  return [verdict.status, ...verdict.errors.map(({ address, code }) => `${address} ${code}`)].join(' ')
}

// OpenAPI 3.1.1, section 4.8.12.3, with `color` as the name.
const array = ['blue', 'black', 'brown']
const object = { R: 100, G: 200, B: 150 }
test.each<
  [where: 'path' | 'query' | 'header' | 'cookie', style: string, explode: boolean, text: string, value: unknown]
>([
  ['path', 'simple', false, 'blue', 'blue'],
  ['path', 'simple', false, 'blue,black,brown', array],
  ['path', 'simple', false, 'R,100,G,200,B,150', object],
  ['path', 'simple', true, 'R=100,G=200,B=150', object],
  ['path', 'label', false, '.blue', 'blue'],
  ['path', 'label', false, '.blue,black,brown', array],
  ['path', 'label', true, '.blue.black.brown', array],
  ['path', 'label', false, '.R,100,G,200,B,150', object],
  ['path', 'label', true, '.R=100.G=200.B=150', object],
  ['path', 'matrix', false, ';color=blue', 'blue'],
  ['path', 'matrix', false, ';color=blue,black,brown', array],
  ['path', 'matrix', true, ';color=blue;color=black;color=brown', array],
  ['path', 'matrix', false, ';color=R,100,G,200,B,150', object],
  ['path', 'matrix', true, ';R=100;G=200;B=150', object],
  ['query', 'form', true, 'color=blue', 'blue'],
  ['query', 'form', false, 'color=blue,black,brown', array],
  ['query', 'form', true, 'color=blue&color=black&color=brown', array],
  ['query', 'form', false, 'color=R,100,G,200,B,150', object],
  ['query', 'spaceDelimited', false, 'color=blue%20black%20brown', array],
  ['query', 'spaceDelimited', false, 'color=R%20100%20G%20200%20B%20150', object],
  ['query', 'pipeDelimited', false, 'color=blue%7Cblack%7Cbrown', array],
  ['query', 'pipeDelimited', false, 'color=R%7C100%7CG%7C200%7CB%7C150', object],
  ['query', 'deepObject', true, 'color%5BR%5D=100&color%5BG%5D=200&color%5BB%5D=150', object],
  ['header', 'simple', false, 'blue,black,brown', array],
  ['header', 'simple', false, 'R,100,G,200,B,150', object],
  ['header', 'simple', true, 'R=100,G=200,B=150', object],
  ['cookie', 'form', false, 'color=blue', 'blue'],
])('%s %s, explode %s: %s', async (where, style, explode, sent, value) => {
  const schema = Array.isArray(value)
    ? { type: 'array', items: { type: 'string' } }
    : typeof value === 'object'
      ? { type: 'object', properties: { R: { type: 'integer' }, G: { type: 'integer' }, B: { type: 'integer' } } }
      : { type: 'string' }
  const color = { name: 'color', in: where, style, explode, schema, ...(where === 'path' ? { required: true } : {}) }
  const path = where === 'path' ? '/x/{color}' : '/x'
  const { intake, notes } = read({ [path]: { get: { parameters: [color] } } })
  const target = where === 'path' ? `/x/${sent}` : where === 'query' ? `/x?${sent}` : '/x'
  const head = where === 'header' ? `Color: ${sent}\n` : where === 'cookie' ? `Cookie: ${sent}\n` : ''
  expect([await said(intake, `GET ${target} HTTP/1.1\n${head}`, where), notes]).toEqual([{ color: value }, []])
})
test('an exploded object stands in the query name by name; JSON in a parameter is read as such', async () => {
  const point = { type: 'object', properties: { x: { type: 'integer' }, y: { type: 'integer' } }, required: ['x'] }
  const { intake } = read({
    '/a': { get: { parameters: [{ name: 'point', in: 'query', schema: point }] } },
    '/b': { get: { parameters: [{ name: 'point', in: 'query', content: { 'application/json': { schema: point } } }] } },
  })
  expect(await said(intake, 'GET /a?x=1&y=2 HTTP/1.1\n', 'query')).toEqual({ x: 1, y: 2 })
  expect(await said(intake, 'GET /a?x=b HTTP/1.1\n', 'query')).toBe('400 query.x wrong_type')
  expect(await said(intake, 'GET /b?point=%7B%22x%22:1%7D HTTP/1.1\n', 'query')).toEqual({ point: { x: 1 } })
  expect(await said(intake, 'GET /b?point=%7B%22y%22:1%7D HTTP/1.1\n', 'query')).toBe('400 query.point.x missing')
  expect(await said(intake, 'GET /b?point=%7B HTTP/1.1\n', 'query')).toBe('400 query.point wrong_type')
})
test('an empty text counts as not sent, but where its schema takes one; a whole number is written without an exponent', async () => {
  const at = (name: string, schema: object) => ({ name, in: 'query', schema })
  const parameters = [
    at('q', { type: 'string' }),
    at('day', { type: 'string', format: 'date' }),
    at('n', { type: 'integer' }),
  ]
  const { intake } = read({ '/x': { get: { parameters } } })
  expect(await said(intake, 'GET /x?q=&day=&n= HTTP/1.1\n', 'query')).toEqual({ q: '' })
  expect(await said(intake, 'GET /x?n=1e3 HTTP/1.1\n', 'query')).toBe('400 query.n wrong_type')
  expect(await said(intake, 'GET /x?n=12345678901234567890 HTTP/1.1\n', 'query')).toEqual({
    n: Number('12345678901234567890'),
  })
})
test('texts are read alike, whether a field or a schema reads them', async () => {
  const flags = [
    { type: 'boolean' },
    { type: 'boolean', not: { const: 'x' } },
    { type: 'boolean', unevaluatedItems: false },
  ]
  for (const schema of flags) {
    const { intake } = read({ '/x': { get: { parameters: [{ name: 'f', in: 'query', schema }] } } })
    for (const [text, flag] of [
      ['1', true],
      ['0', false],
      ['true', true],
    ] as const)
      expect(await said(intake, `GET /x?f=${text} HTTP/1.1\n`, 'query')).toEqual({ f: flag })
    expect(await said(intake, 'GET /x?f=2 HTTP/1.1\n', 'query')).toMatch(/^400 query\.f wrong_type$/)
  }
  const nothing = { type: 'null', not: { const: 1 } }
  const { intake } = read({ '/x': { get: { parameters: [{ name: 'n', in: 'query', schema: nothing }] } } })
  expect(await said(intake, 'GET /x?n=null HTTP/1.1\n', 'query')).toEqual({ n: null })
})
test('errors of a text in a style stand at its parts', async () => {
  const schema = { type: 'array', items: { type: 'integer', maximum: 5 }, contains: { const: 1 } }
  const { intake } = read({ '/x': { get: { parameters: [{ name: 'n', in: 'query', explode: false, schema }] } } })
  expect(await said(intake, 'GET /x?n=1,2 HTTP/1.1\n', 'query')).toEqual({ n: [1, 2] })
  expect(await said(intake, 'GET /x?n=2,9 HTTP/1.1\n', 'query')).toBe('400 query.n too_few query.n[1] above_max')
})

describe('bodies', () => {
  const post = (content: Json, more: Json = {}) =>
    read({ '/x': { post: { requestBody: { required: true, content } } } }, more)
  const json = (schema: unknown) => post({ 'application/json': { schema } }).intake
  const send = (app: Intake, body: unknown, type = 'application/json') =>
    said(app, `POST /x HTTP/1.1\ncontent-type: ${type}\n\n${typeof body === 'string' ? body : JSON.stringify(body)}`)

  test('what the description permits is accepted, as it was sent', async () => {
    const app = json({
      type: 'object',
      properties: { at: { type: 'string', format: 'date-time' }, n: { type: 'integer' } },
    })
    for (const body of [{ at: '2031-03-01T22:30:00Z', other: [1] }, { n: 1e20 }, {}])
      expect(await send(app, body)).toEqual(body)
    expect(await send(app, { at: 'now', n: 1.5 })).toBe('422 body.at wrong_format body.n not_whole')
  })
  test('names that are not described stay, unless the service is stricter', async () => {
    const content = {
      'application/json': {
        example: { a: 1, b: 2 },
        schema: { type: 'object', properties: { a: {}, free: { type: 'object', additionalProperties: true } } },
      },
    }
    const document = described({ '/x': { post: { requestBody: { required: true, content } } } })
    const body = { a: 1, b: 2, free: { c: 3 } }
    expect(await send(readDocument(document).intake, body)).toEqual(body)
    const { intake } = readOpenApi(document, { unlisted: { body: 'refuse', query: 'refuse' } })
    expect(await send(intake, body)).toBe('422 body.b unlisted')
  })
  test('defaults are filled in, what only the server sets is dropped, and secrets are not shown', async () => {
    const app = json({
      type: 'object',
      properties: {
        id: { type: 'integer', readOnly: true },
        size: { type: 'integer', default: 3 },
        key: { type: 'string', format: 'password', minLength: 4 },
        pin: { type: 'string', writeOnly: true, minLength: 4 },
      },
      required: ['id'],
    })
    expect(await send(app, { id: 'x' })).toEqual({ size: 3 })
    const verdict = await judge(app, 'POST /x HTTP/1.1\ncontent-type: application/json\n\n{"key":"abc","pin":"abc"}')
    expect(verdict).toMatchObject({ errors: [{ code: 'too_short' }, { code: 'too_short' }] })
    expect(JSON.stringify(verdict)).not.toContain('abc')
  })
  test('a discriminator chooses the branch', async () => {
    const boat = (name: string) => ({
      type: 'object',
      properties: { kind: { type: 'string' }, [name]: { type: 'integer' } },
      required: [name],
    })
    const { intake } = post(
      {
        'application/json': {
          schema: {
            oneOf: [{ $ref: '#/components/schemas/Sail' }, { $ref: '#/components/schemas/Motor' }],
            discriminator: { propertyName: 'kind', mapping: { engine: '#/components/schemas/Motor' } },
          },
        },
      },
      { components: { schemas: { Sail: boat('masts'), Motor: boat('power') } } },
    )
    expect(await send(intake, { kind: 'Sail', masts: 1, power: 2 })).toEqual({ kind: 'Sail', masts: 1, power: 2 })
    expect(await send(intake, { kind: 'engine', masts: 1 })).toBe('422 body.power missing')
    expect(await send(intake, { kind: 'raft' })).toBe('422 body.kind not_a_choice')
    expect(await send(intake, { masts: 1 })).toBe('422 body.kind missing')
    expect(await send(intake, 5)).toBe('422 body wrong_type')
  })
  // OpenAPI 3.1.1, section 4.8.25: a component that takes over another by allOf is an alternative of it.
  test.each<[of: string, body: unknown, expected: unknown]>([
    ['Pet', { type: 'Cat', lives: 9 }, { type: 'Cat', lives: 9 }],
    ['Pet', { type: 'Cat' }, '422 body.lives missing'],
    ['Pet', { type: 'doggy', barks: 1 }, '422 body.barks wrong_type'],
    ['Pet', { type: 'Pet', any: 1 }, { type: 'Pet', any: 1 }],
    ['Pet', { type: 'Lion', lives: 9 }, '422 body.mane missing'],
    ['Pet', { type: 'Cat', lives: 9, kin: { type: 'Lion', lives: 1 } }, '422 body.kin.mane missing'],
    ['Pet', { type: 'Bird' }, '422 body.type not_a_choice'],
    ['Pet', {}, '422 body.type missing'],
    ['Cat', { type: 'Dog', lives: 9, barks: 1 }, { type: 'Dog', lives: 9, barks: 1 }],
    ['Pup', { type: 'Dog', barks: 1 }, { type: 'Dog', barks: 1 }],
    ['Pet', { type: 'Pup', any: 1 }, { type: 'Pup', any: 1 }],
    ['Home', { pet: { type: 'Cat' } }, '422 body.pet.lives missing'],
    ['Told', { type: 'cat', lives: 9 }, { type: 'cat', lives: 9 }],
    ['Told', { type: 'dog' }, '422 body.barks missing'],
    ['Told', { type: 'Cat', lives: 9 }, '422 body.type not_a_choice'],
    ['Mapped', { type: 'a b', lives: 9 }, '422 body.barks missing'],
    ['Mapped', { type: 'a/b', barks: true }, { type: 'a/b', barks: true }],
    ['Mapped', { type: 'a%20b', barks: true }, '422 body.type not_a_choice'],
    ['Closed', { type: 'Shut', n: 1 }, { type: 'Shut', n: 1 }],
    ['Closed', { type: 'Shut', m: 1 }, '422 body.m unlisted'],
    ['Closed', { type: 'Sealed', n: 1 }, '422 body.type unlisted'],
  ])('%s, which %j', async (of, body, expected) => {
    const object = (properties: object, more: object = {}) => ({ type: 'object', properties, ...more })
    const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
    const type = (value: string) => ({ const: value })
    const tags = (mapping?: object) => ({ discriminator: { propertyName: 'type', ...(mapping ? { mapping } : {}) } })
    const barks = { type: 'boolean' }
    const schemas = {
      Pet: object({ type: { type: 'string' } }, { required: ['type'], ...tags({ doggy: 'Dog' }) }),
      Cat: { allOf: [ref('Pet'), object({ lives: { type: 'integer' }, kin: ref('Pet') }, { required: ['lives'] })] },
      Lion: { allOf: [ref('Cat'), { required: ['mane'] }] },
      Dog: { allOf: [ref('Pet'), object({ barks })] },
      Pup: { allOf: [ref('Pet')] },
      Home: object({ pet: { allOf: [ref('Pet')], description: 'Who lives there.' } }),
      ToldCat: object({ type: type('cat') }, { required: ['type'] }),
      ToldDog: object({ type: type('dog'), barks }, { required: ['type', 'barks'] }),
      Told: { oneOf: [ref('ToldCat'), ref('ToldDog')], ...tags({ cat: 'ToldCat', dog: 'ToldDog' }) },
      // Names are as the components have them; a mapping may be a name or a reference.
      'a b': object({ type: { type: 'string' }, barks }, { required: ['barks'] }),
      Mapped: { oneOf: [ref('a%20b'), ref('ToldCat')], ...tags({ 'a/b': 'a b', cat: '#/components/schemas/ToldCat' }) },
      Shut: object({ type: { type: 'string' }, n: { type: 'integer' } }, { additionalProperties: false }),
      Sealed: object({ n: { type: 'integer' } }, { additionalProperties: false }),
      Closed: { anyOf: [ref('Shut'), ref('Sealed')], ...tags() },
    }
    const { intake, notes } = post({ 'application/json': { schema: ref(of) } }, { components: { schemas } })
    expect([await send(intake, body), notes]).toEqual([expected, []])
  })
  test('forms, files and texts', async () => {
    const { intake, notes } = post({
      'application/x-www-form-urlencoded': {
        schema: { type: 'object', properties: { n: { type: 'integer' } }, required: ['n'] },
      },
      'multipart/form-data': {
        schema: { type: 'object', properties: { plate: { type: 'string', format: 'binary' }, n: { type: 'integer' } } },
        encoding: { plate: { contentType: 'image/png' } },
      },
      'text/plain': { schema: { type: 'string', maxLength: 3 } },
      'image/png': {},
      'application/xml': { schema: { type: 'object' } },
    })
    expect(await send(intake, 'n=5', 'application/x-www-form-urlencoded')).toEqual({ n: 5 })
    expect(await send(intake, 'n=x', 'application/x-www-form-urlencoded')).toBe('422 body.n wrong_type')
    expect(await send(intake, 'abcd', 'text/plain')).toBe('422 body too_long')
    expect(await send(intake, 'x', 'image/png')).toMatchObject({ bytes: 1 })
    const form =
      '--b\r\nContent-Disposition: form-data; name="plate"; filename="a"\r\nContent-Type: text/css\r\n\r\nx\r\n--b--'
    expect(await send(intake, form, 'multipart/form-data; boundary=b')).toBe('422 body.plate wrong_media_type')
    expect(await send(intake, 'x', 'text/css')).toBe('415 header.content-type wrong_media_type')
    expect(notes).toEqual([
      {
        pointer: '/paths/~1x/post/requestBody/content/application~1xml',
        what: 'the schema of application/xml',
        consequence: 'The body is taken as a file, and not checked',
      },
    ])
  })
  test('3.0 has words of its own', async () => {
    const schema = {
      type: 'object',
      properties: {
        note: { type: 'string', nullable: true },
        share: { type: 'number', minimum: 0, exclusiveMinimum: true },
        owner: { $ref: '#/components/schemas/Owner', description: 'ignored', maxLength: 1 },
      },
    }
    const { intake } = readDocument({
      openapi: '3.0.3',
      info,
      paths: { '/x': { post: { requestBody: { content: { 'application/json': { schema } } } } } },
      components: { schemas: { Owner: { type: 'string', example: 'Ada' } } },
    })
    expect(await send(intake, { note: null, share: 1, owner: 'Ada' })).toEqual({ note: null, share: 1, owner: 'Ada' })
    expect(await send(intake, { note: 1, share: 0, owner: null })).toBe(
      '422 body.note wrong_type body.share below_min body.owner null_not_allowed',
    )
  })
})

describe('security', () => {
  const components = {
    securitySchemes: {
      bearer: { type: 'http', scheme: 'bearer' },
      key: { type: 'apiKey', in: 'header', name: 'X-Key' },
      query: { type: 'apiKey', in: 'query', name: 'key' },
    },
  }
  const { intake, notes } = read(
    {
      '/a': { get: {} },
      '/b': { get: { security: [{ key: [], query: [] }, { bearer: ['read'] }] } },
      '/c': { get: { security: [] } },
      '/d': { get: { security: [{ bearer: [] }, {}] } },
    },
    { components, security: [{ bearer: [] }] },
  )
  test.each([
    ['GET /a HTTP/1.1\n', '401 header.authorization not_known'],
    ['GET /a HTTP/1.1\nAuthorization: Basic abc\n', '401 header.authorization not_known'],
    ['GET /a HTTP/1.1\nAuthorization: Bearer\n', '401 header.authorization not_known'],
    ['GET /a HTTP/1.1\nAuthorization: bearer abc\n', {}],
    ['GET /b?key=1 HTTP/1.1\n', '401 header.authorization not_known'],
    ['GET /b?key=1 HTTP/1.1\nX-Key: 2\n', {}],
    ['GET /b HTTP/1.1\nAuthorization: Bearer abc\n', {}],
    ['GET /c HTTP/1.1\n', {}],
    ['GET /d HTTP/1.1\n', {}],
  ])('%j: %j', async (message, expected) => {
    expect(await said(intake, message, 'path')).toEqual(expected)
  })
  test('what is not verified is noted, unless the service verifies it', () => {
    expect(notes.map(({ pointer }) => pointer).sort()).toEqual(
      ['bearer', 'key', 'query'].map((name) => `/components/securitySchemes/${name}`),
    )
    const paths = { '/a': { get: { security: [{ bearer: [] }] } } }
    expect(readOpenApi(described(paths, { components }), { identify: () => ({}) }).notes).toEqual([])
  })
})

test('operations have their names, statuses and places', async () => {
  const { intake } = read(
    {
      '/boats/{id}': {
        parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'integer' } }],
        get: { operationId: 'showBoat', summary: 'One boat', tags: ['boats'], responses: { '404': {}, '200': {} } },
        put: { responses: { '204': {}, '201': {} }, parameters: [{ $ref: '#/components/parameters/Id' }] },
      },
    },
    {
      servers: [
        { url: 'https://{region}.example.org/{v}', variables: { region: { default: 'eu' }, v: { default: 'v2' } } },
      ],
      components: {
        parameters: { Id: { name: 'id', in: 'path', deprecated: true, required: true, schema: { enum: ['a', 'b'] } } },
      },
    },
  )
  const { endpoints } = intake as unknown as { endpoints: { [name: string]: Json } }
  expect(Object.entries(endpoints).map(([name, { success, title, tags }]) => [name, success, title, tags])).toEqual([
    ['showBoat', 200, 'One boat', ['boats']],
    ['put /boats/{id}', 201, undefined, []],
  ])
  expect(outline(intake).endpoints['put /boats/{id}']?.path).toMatchObject({ id: { deprecated: true } })
  expect(await said(intake, 'GET /v2/boats/7 HTTP/1.1\n', 'path')).toEqual({ id: 7 })
  expect(await said(intake, 'PUT /v2/boats/7 HTTP/1.1\n', 'path')).toBe('400 path.id not_a_choice')
})

test.each<[what: string, paths: Json, notes: readonly Partial<Note>[]]>([
  ['a body of GET', { '/a': { get: { requestBody: { content: {} } } } }, [{ pointer: '/paths/~1a/get/requestBody' }]],
  ['a path with #', { '/a#b': { get: {} } }, [{ pointer: '/paths/~1a#b/get', consequence: 'It is left out' }]],
  [
    'two paths that are one',
    { '/a/{b}': { get: {} }, '/a/{c}': { get: {} } },
    [{ what: 'the same requests as GET /a/{b}' }],
  ],
  [
    'a default that is none',
    { '/a': { get: { parameters: [{ name: 'n', in: 'query', schema: { type: 'integer', default: 'x' } }] } } },
    [{ what: 'the default, which its own schema rejects' }],
  ],
  [
    'an example that is none',
    { '/a': { get: { parameters: [{ name: 'n', in: 'query', schema: { type: 'integer', examples: ['x', 1] } }] } } },
    [{ what: 'an example, which its own schema rejects' }],
  ],
  [
    'a pattern that takes long',
    { '/a': { get: { parameters: [{ name: 'n', in: 'query', schema: { type: 'string', pattern: '(a+)+$' } }] } } },
    [{ pointer: '/paths/~1a/get/parameters/0/schema/pattern', consequence: 'It is not checked' }],
  ],
  [
    'a format that is not known',
    { '/a': { get: { parameters: [{ name: 'n', in: 'query', schema: { type: 'string', format: 'hull' } }] } } },
    [{ what: 'the format hull, which is not known here' }],
  ],
  [
    'the default of a schema that holds itself',
    {
      '/a': {
        post: {
          requestBody: { content: { 'application/json': { schema: { $ref: '#/paths/~1a/post/x' } } } },
          x: { type: 'object', properties: { c: { $ref: '#/paths/~1a/post/x', default: {} } } },
        },
      },
    },
    [{ what: 'the default of a schema that holds itself' }],
  ],
  [
    'a parameter that no query can carry',
    {
      '/a': { get: { parameters: [{ name: 'n', in: 'query', schema: { type: 'array', items: { type: 'array' } } }] } },
    },
    [{ what: 'the parameter query.n: a query has no way to carry this list', consequence: 'It is not checked' }],
  ],
  [
    'a form that is no object with properties',
    {
      '/a': {
        post: {
          requestBody: {
            content: {
              'application/x-www-form-urlencoded': { schema: { anyOf: [{ type: 'object' }, { type: 'null' }, true] } },
            },
          },
        },
      },
    },
    [{ what: 'the schema of a form, which has no properties', consequence: 'Its parts are not checked' }],
  ],
])('noted and left out: %s', (_, paths, expected) => {
  expect(read(paths).notes).toEqual(expected.map((note) => expect.objectContaining(note)))
})
test.each<[document: unknown, message: string]>([
  [null, 'this is no description of OpenAPI 3.1 or 3.0, but null'],
  [{ swagger: '2.0', info }, 'this is no description of OpenAPI 3.1 or 3.0, but an object'],
  [{ openapi: '4.0.0', info }, 'but one of 4.0.0'],
  [
    described({ '/a': { get: { parameters: [{ $ref: '#/components/parameters/B' }] } } }),
    'the reference #/components/parameters/B leads nowhere',
  ],
  [described({ '/a': { $ref: 'other.json#/a' } }), 'Nothing is fetched'],
  [
    described({ '/a': { post: { requestBody: { content: { 'application/json': { schema: { $ref: '#/b' } } } } } } }),
    '/paths/~1a/post/requestBody/content/application~1json/schema: the reference #/b leads nowhere',
  ],
  [described({ '/a': { get: { parameters: {} } } }), '/paths/~1a/get: parameters is an object. Write it as a list'],
  [described({ '/a': { $ref: '#/paths/~1b' }, '/b': { $ref: '#/paths/~1a' } }), 'this reference leads back to itself'],
  [
    described({ '/a': { get: { security: [{ key: [] }] } } }),
    '/paths/~1a/get: the security scheme key is not described. Describe it in components/securitySchemes',
  ],
  [described({ '/a': { get: 5 } }), '/paths/~1a/get: an object must stand here, and not 5'],
])('thrown: %j', (document, message) => {
  expect(() => readOpenApi(document as object)).toThrow(message)
})

test('references lead through other documents, and back', async () => {
  const documents = {
    'https://api.example.org/parts.json': {
      paths: { boat: { post: { requestBody: { $ref: '#/bodies/boat' } } } },
      bodies: {
        boat: {
          required: true,
          content: { 'application/json': { schema: { $ref: 'api.json#/components/schemas/Boat' } } },
        },
      },
    },
  }
  const Boat = { type: 'object', properties: { tender: { $ref: '#/components/schemas/Boat' }, n: { type: 'integer' } } }
  const { intake } = readDocument(
    described({ '/boats': { $ref: 'parts.json#/paths/boat' } }, { components: { schemas: { Boat } } }),
    { documents, address: 'https://api.example.org/api.json' },
  )
  const send = (body: unknown) =>
    said(intake, `POST /boats HTTP/1.1\ncontent-type: application/json\n\n${JSON.stringify(body)}`)
  expect(await send({ tender: { tender: { n: 1 } } })).toEqual({ tender: { tender: { n: 1 } } })
  expect(await send({ tender: { tender: { n: 'x' } } })).toBe('422 body.tender.tender.n wrong_type')
})

test('the observatory, written and read again, judges its parts alike wherever nothing was left unsaid', async () => {
  const source = new URL('../../../examples/observatory/openapi.yaml', import.meta.url)
  const { intake, notes } = readOpenApi(YAML.parse(readFileSync(source, 'utf8')) as object)
  expect(notes.map(({ what }) => what).filter((what) => !what.includes('security scheme'))).toEqual([])
  const { endpoints } = intake as unknown as { endpoints: { [name: string]: never } }
  const verdict = judgeParts(endpoints['listSessions'] as never, { query: { limit: '777' } } as never) as {
    outcome: string
  }
  expect([Object.keys(endpoints).length, verdict.outcome]).toEqual([10, 'rejected'])
  // What is written of what was read says the same once more.
  const again = await writeOpenApi(makeIntake({ endpoints } as never) as unknown as Intake)
  expect(Object.keys(again.document.paths).length).toBeGreaterThan(5)
})

test('in the docs: what is said to be read is tested here', () => {
  const page = readFileSync(new URL('../../../docs/openapi.md', import.meta.url), 'utf8')
  const [, table = ''] = page.split('## What is read\n')
  const named = [...table.matchAll(/^\| `([^`:]+)/gm)].map(([, name]) => name as string)
  const own = readFileSync(new URL(import.meta.url), 'utf8')
  expect(named.length).toBeGreaterThan(20)
  expect(named.filter((name) => !new RegExp(`[\\s{(,'"]${name.replace('$', '\\$')}['"]?[:,]`).test(own))).toEqual([])
})

test('what is written of an intake and read again judges alike, wherever nothing was left unsaid', async () => {
  let exact = 0
  for (const [inner, , values] of fc.sample(enginePairs, {
    numRuns: Number(process.env['PROPERTY_RUNS'] ?? 40),
    seed: 7,
  })) {
    const put = endpoint('PUT /', { body: record({ x: inner as Field }) })
    const { document, unsaid } = await writeOpenApi(makeIntake({ endpoints: { put } }) as unknown as Intake)
    if (unsaid.length > 0) continue
    const again = readOpenApi(document).intake as unknown as { endpoints: { put: typeof put } }
    for (const x of values as readonly unknown[]) {
      const body = JSON.parse(JSON.stringify({ x }, (_, one) => (typeof one === 'bigint' ? String(one) : one)))
      const [before, after] = [put, again.endpoints.put].map((one) => {
        const verdict = judgeParts(one as never, { body } as never) as {
          outcome: string
          errors?: { address: string }[]
        }
        return [verdict.outcome, ...new Set((verdict.errors ?? []).map(({ address }) => address))]
      })
      const about = { schema: JSON.stringify(document.paths['/']), body: JSON.stringify(body) }
      expect({ ...about, after }).toEqual({ ...about, after: before })
      exact++
    }
  }
  expect(exact).toBeGreaterThan(20)
}, 120_000)

// biome-ignore-all format: a table reads line by line
/** Endpoints of one method and path that something tells apart, parameters with literals about them, and what is given. */
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect, test } from '@jest/globals'
import { choice, constant, type Endpoint, endpoint, file, type Gives, intake, integer, judge, list, outline, record, serve, text, write } from 'yosei'
import { gate } from 'yosei/node'

const app = intake({ limits: { uri: 400, headers: '1kB' }, endpoints: {
  one: endpoint('GET /a/{id}', { path: { id: text() }, header: { 'X-Version': constant('1') } }),
  two: endpoint('GET /a/{key}', { path: { key: integer() }, header: { 'X-Version': choice([2, 3]) } }),
  kindA: endpoint('POST /q', { query: { kind: constant('a'), more: text({ optional: true }) } }),
  kindB: endpoint('POST /q', { query: { kind: choice(['b', 'c d']) } }),
  hidden: endpoint('POST /h', { header: { key: constant('k', { secret: true }) } }), shown: endpoint('POST /h', { header: { key: constant('l') } }),
  json: endpoint('POST /b', { body: record({ a: integer() }) }), image: endpoint('POST /b', { body: { 'image/*': file() } }),
  named: endpoint('GET /files/{name}.json', { path: { name: text() } }), whole: endpoint('GET /files/{name}', { path: { name: text() } }),
  numbered: endpoint('GET /files/index-{n}.json', { path: { n: integer() } }), all: endpoint('GET /files/all.json', {}),
  compare: endpoint('GET /compare/{base}...{head}', { path: { base: text(), head: list(text()) } }),
  odd: endpoint('GET /odd/a:b{x}ü/end', { path: { x: text() } }),
} })
const told = async (method: string, target: string, headers: object = {}, body: string | null = null) => {
  const verdict = await judge(app, { method, target, headers: headers as never, body })
  return verdict.outcome === 'rejected' ? [verdict.status, ...verdict.errors.map(({ address, code, message }) => `${address} ${code}: ${message}`)] : [verdict.endpoint, (verdict as { input: { path: object } }).input.path]
}
const versions = 'must be one of 1, 2, 3'
test.each<[string, string, object, unknown, string?]>([
  ['GET', '/a/x', { 'X-Version': '1' }, ['one', { id: 'x' }]],
  ['HEAD', '/a/5', { 'x-version': '3' }, ['two', { key: 5 }]],
  ['GET', '/a/x', { 'x-version': '2' }, [400, 'path.key wrong_type: must be a whole number; "x" was sent']],
  ['GET', '/a/5', {}, [400, 'header.x-version missing: must be sent, as one of 1, 2, 3']],
  ['GET', '/a/5', { 'x-version': '02' }, [400, `header.x-version not_a_choice: ${versions}; "02" was sent`]],
  ['GET', '/a/5', { 'x-version': '1', pad: 'x'.repeat(1000) }, [431, 'header too_large: must be at most 1000 bytes']],
  ['PUT', '/a/5', {}, [405]],
  ['POST', '/q?more=%zz&kind=a', {}, [400, 'query.more bad_encoding: has a broken percent-encoding; write a percent sign as %25']],
  ['POST', '/q?kind=c+d', {}, ['kindB', {}]],
  ['POST', '/q?%6bind=b', {}, ['kindB', {}]],
  ['POST', '/q?kind=a&kind=b', {}, [400, 'query.kind sent_twice: must be sent once; it was sent 2 times']],
  ['POST', '/q?kind=z', {}, [400, 'query.kind not_a_choice: must be one of a, b, c d; "z" was sent']],
  ['POST', '/q', {}, [400, 'query.kind missing: must be sent, as one of a, b, c d']],
  [`POST`, `/q?kind=a&more=${'x'.repeat(400)}`, {}, [414, 'path too_large: must be at most 400 bytes']],
  ['POST', '/h', { key: 'xyzzy' }, [400, 'header.key not_a_choice: is not one of the allowed values']],
  ['POST', '/b', { 'content-type': 'application/json; charset=utf-8' }, ['json', {}], '{"a":1}'],
  ['POST', '/b', { 'content-type': 'image/png' }, ['image', {}], 'x'],
  ['POST', '/b', { 'content-type': 'text/plain' }, [415, 'header.content-type wrong_media_type: must be one of application/json, image/*; "text/plain" was sent'], 'x'],
  ['GET', '/files/a.json', {}, ['named', { name: 'a' }]],
  ['GET', '/files/a.xml', {}, ['whole', { name: 'a.xml' }]],
  ['GET', '/files/index-5.json', {}, ['numbered', { n: 5 }]],
  ['GET', '/files/all.json', {}, ['all', {}]],
  ['GET', '/files/.json', {}, ['whole', { name: '.json' }]],
  ['GET', '/files/a%2Fb%2ejson', {}, ['named', { name: 'a/b' }]],
  ['GET', '/files/..', {}, [404]],
  ['POST', '/files/x.json', {}, [405]],
  ['GET', '/compare/main...feature,x', {}, ['compare', { base: 'main', head: ['feature', 'x'] }]],
  ['GET', '/compare/a...b...c', {}, ['compare', { base: 'a', head: ['b...c'] }]],
  ['GET', '/compare/a..b', {}, [404]],
  ['GET', '/compare/...b', {}, [404]],
  ['GET', '/odd/a:bX%C3%BC/end', {}, ['odd', { x: 'X' }]],
])('%s %s %j', async (...row) => {
  const [method, target, headers, expected, body] = row
  expect(await told(method, target, headers, body)).toEqual(expected)
})

const same = (a: object, b: object) => ({ a: endpoint('POST /x', a), b: endpoint('POST /x', b) })
test.each<[string, () => { [name: string]: Endpoint }]>([
  ['nothing', () => same({}, {})],
  ['values that both take', () => same({ query: { a: choice(['1', '2']) } }, { query: { a: choice([2, 3]) } })],
  ['what may be left out', () => same({ query: { a: constant('1', { optional: true }) } }, { query: { a: constant('2') } })],
  ['media types that overlap', () => same({ body: { 'image/*': file() } }, { body: { 'image/png': file() } })],
  ['one without a body', () => same({ body: record({}) }, {})],
  ['names of parameters', () => ({ a: endpoint('GET /{a}.{b}', { path: { a: text(), b: text() } }), b: endpoint('GET /{c}.{d}', { path: { c: text(), d: text() } }) })],
])('%s does not tell two endpoints apart', (_, endpoints) => expect(() => intake({ endpoints: endpoints() })).toThrow('matches the same requests, and nothing distinguishes them'))
test('parameters that nothing tells apart make no template', () => {
  expect(() => endpoint('GET /{a}{b}', { path: { a: text(), b: text() } })).toThrow('nothing separates the parameters of "{a}{b}" apart')
})

test('answers say by which field they vary; a gate lets nothing by that no endpoint takes', async () => {
  const handlers = Object.fromEntries(Object.keys(app.endpoints).map((name) => [name, () => (name === 'two' ? new Response('x', { headers: { vary: 'Cookie' } }) : 1)]))
  const service = serve(app, handlers as never)
  const vary = async (target: string, init: RequestInit) => (await service(new Request(`http://x${target}`, init))).headers.get('vary')
  expect([await vary('/a/5', { headers: { 'x-version': '1' } }), await vary('/a/5', { headers: { 'x-version': '2' } }), await vary('/a/5', {}), await vary('/a/x', { headers: { 'x-version': '2' } }), await vary('/q?kind=a', { method: 'POST' }), await vary('/b', { method: 'POST', body: '{"a":1}', headers: { 'content-type': 'application/json' } }), await vary('/b', { method: 'POST', body: 'x', headers: { 'content-type': 'text/css' } })])
    .toEqual(['x-version', 'Cookie, x-version', 'Accept, Accept-Language, x-version', 'Accept, Accept-Language, x-version', null, 'content-type', 'Accept, Accept-Language, content-type'])
  const pass = gate(app)
  const server = createServer((request, response) => pass(request, response, () => response.end('handled')))
  await once(server.listen(0, '127.0.0.1'), 'listening')
  const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}/a/5`
  const seen = async (version: string, path = at) => { const answer = await fetch(path, { headers: { 'x-version': version } }); return [answer.status, answer.headers.get('vary'), await answer.text() === 'handled'] }
  expect([await seen('9'), await seen('1'), await seen('2', at.replace(/5$/, 'x'))]).toEqual([[400, 'Accept, Accept-Language, x-version', false], [200, 'x-version', true], [400, 'Accept, Accept-Language, x-version', false]])
  server.close()
})
test('a path is written with what lies about its parameters, and outline tells what is given', () => {
  const path = { base: 'a.b', head: ['c/d', 'e'] }
  expect(write(app.endpoints.compare, 'http://x', { path, query: {}, header: {} } as never).url).toBe('http://x/compare/a.b...c%2Fd,e')
  const get = endpoint('GET /x', { gives: record({ id: text(), n: integer({ optional: true }) }) })
  const given: Gives<typeof get> = { id: 'x' }
  expect([outline(get).gives, given]).toMatchObject([{ kind: 'record', fields: { n: { need: 'optional' } } }, { id: 'x' }])
  expect(() => endpoint('GET /x', { gives: text({ length: [3, 1] }) })).toThrow('gives')
})

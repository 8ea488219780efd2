// biome-ignore-all format: a table reads line by line
/** Code that is made ahead of time is refused if it is of another declaration, and needs none to be made from text. */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { runInNewContext } from 'node:vm'
import { afterAll, expect, test } from '@jest/globals'
import { anything, choice, constant, DeclarationError, either, endpoint, type Field, type Intake, instant, intake, integer, judge, later, record, refuse, serve, text } from 'yosei'
import { library, prepareCode, preparedBy } from 'yosei/prepared'
import { compiled, endpointNode } from '../dist/internals.js'
import { withCode } from './prepared.ts'

interface Changed { readonly fields?: object; readonly rules?: readonly string[]; readonly more?: object; readonly own?: (value: string) => boolean; readonly app?: object; readonly inner?: object; readonly who?: Field }
const treeOf = (inner: object = {}): Field => { const node: Field = record({ left: later(() => node), ...inner } as never, { optional: true }) as Field; return later(() => node) }
/** A service with something of everything that code is made for. */
const service = ({ fields = {}, rules = [], more = {}, own = () => true, app = {}, inner, who = record({ role: choice(['clerk', 'chief']) }) }: Changed = {}) => intake({
  identify: (request: Request) => (request.headers.get('authorization') === 'Bearer k' ? { role: 'clerk' } : refuse({ status: 401, code: 'unknown', message: 'is unknown' })),
  endpoints: {
    book: endpoint('POST /sessions/{id}', {
      path: { id: text({ pattern: /^[a-z]+$/, length: [1, 9] }) }, query: { limit: integer({ max: 100, default: 20 }) },
      body: {
        'application/json': record({ title: text({ length: [1, 20] }), from: instant({ optional: true }), until: instant({ optional: true }), code: constant('s3cret', { secret: true, optional: true }), tree: treeOf(inner), plate: text({ pattern: /^a/, optional: true }), ...fields } as never),
        'application/x-www-form-urlencoded': record({ title: text(), count: integer({ optional: true }) }),
      },
      who, may: (on: never) => (on as { is: (...all: string[]) => never }).is('who.role', 'clerk'),
      rules: (on: { [rule: string]: (...all: unknown[]) => never }) => [on['ascending']?.('body.from', 'body.until'), on['check']?.({ reads: ['body.title'], code: 'odd_title', holds: own }), ...rules.map((rule) => on[rule]?.('body.from', 'body.until'))],
    } as never),
    list: endpoint('GET /sessions', { query: { sort: either([constant('up'), integer()], { optional: true }) }, who } as never),
    ...more,
  },
  ...app,
} as never) as Intake

/** Says for what code is given, and with which code: that of one declaration. */
const given = (before: Intake, after: Intake) => {
  const module = prepareCode(before, { command: 'yosei prepare intake.ts -o intake.prepared.ts' })
  const body = module.replace(/^import .*$/m, '').replace('export const prepared =', 'return')
  return new Function('preparedBy', 'library', body)(preparedBy, library)(after)
}
test.each<[what: string, changed: Changed, where: string | undefined]>([
  ['nothing', {}, undefined],
  ['what a function does', { own: (value) => value !== 'odd' }, undefined],
  ['the base and the limits of the intake', { app: { base: '/v2' } }, undefined],
  ['a limit', { fields: { title: text({ length: [1, 21] }) } }, 'POST /sessions/{id}'],
  ['a limit, by the type of its value alone', { fields: { count: constant(1) } }, 'POST /sessions/{id}'],
  ['an example that looks like a declaration', { fields: { any: anything({ optional: true, examples: [{ kind: 'later', need: 'required' }] }) } }, 'POST /sessions/{id}'],
  ['a pattern', { fields: { plate: text({ pattern: /^b/, optional: true }) } }, 'POST /sessions/{id}'],
  ['a flag of a pattern', { fields: { plate: text({ pattern: /^a/i, optional: true }) } }, 'POST /sessions/{id}'],
  ['a title', { fields: { title: text({ length: [1, 20], title: 'Title' }) } }, 'POST /sessions/{id}'],
  ['a field more', { fields: { more: integer({ optional: true }) } }, 'POST /sessions/{id}'],
  ['what stands behind later()', { inner: { right: integer({ optional: true }) } }, 'POST /sessions/{id}'],
  ['a rule more', { rules: ['differ'] }, 'POST /sessions/{id}'],
  ['the caller', { who: record({ role: choice(['clerk', 'chief', 'owner']) }) }, 'POST /sessions/{id}'],
  ['an endpoint more', { more: { odd: endpoint('GET /odd', {}) } }, 'GET /odd'],
  ['an endpoint more, by a name of every object', { more: { constructor: endpoint('GET /odd', {}) } }, 'GET /odd'],
  ['how what is unlisted is read', { app: { unlisted: { query: 'drop' } } }, 'POST /sessions/{id}'],
])('code is checked when it is given: %s', (_, changed, where) => {
  const give = () => given(service(), service(changed))
  if (where === undefined) return void expect(give()).toBeTruthy()
  expect(give).toThrow(DeclarationError)
  expect(give).toThrow(new RegExp(`^${where.replace(/[{}/]/g, '\\$&')}: .*\\. Run: yosei prepare intake\\.ts -o intake\\.prepared\\.ts\\.$`))
})
test('code of another version is refused', () => {
  expect(() => preparedBy({ version: '0.0.9', command: 'yosei prepare a.ts -o b.ts' }, {})(service())).toThrow(/version 0\.0\.9 of yosei made this code, and \S+ runs it\. Run: yosei prepare a\.ts -o b\.ts\./)
})
test('the version in it is that of the package', () => {
  const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8'))
  expect(prepareCode(service(), { command: 'x' })).toContain(`version: ${JSON.stringify(version)}`)
})
test('an intake that is interpreted has no code, and needs none', () => {
  expect(prepareCode(service({ app: { engine: 'interpreted' } }), { command: 'x' })).not.toContain('digest')
  expect(given(service({ app: { engine: 'interpreted' } }), service({ app: { engine: 'interpreted' } }))).toBeTruthy()
})
test('no secret stands in the code', () => expect(prepareCode(service(), { command: 'x' })).not.toContain('s3cret'))

const json = { 'content-type': 'application/json', authorization: 'Bearer k' }
const post = (body: unknown, headers: object = json) => ({ method: 'POST', target: '/sessions/a', headers, body: typeof body === 'string' ? body : JSON.stringify(body) })
test('no code is made from text, and that which was prepared is used', async () => {
  const app = withCode(service())
  const { Function: Original } = globalThis
  globalThis.Function = class { constructor() { throw new EvalError('no code from text') } } as never
  try {
    const services = {}
    for (const [request, expected] of [
      [post({ title: 'a', tree: { left: { left: {} } }, code: 's3cret' }), 'accepted'],
      [post('title=a&count=3', { ...json, 'content-type': 'application/x-www-form-urlencoded' }), 'accepted'],
      [{ method: 'GET', target: '/sessions?sort=up', headers: json }, 'accepted'],
      [post({ title: 'a', from: '2031-03-01T00:00:00Z', until: '2031-02-01T00:00:00Z', code: 'x', tree: { left: 5 } }), 'body.code not_constant, body.tree.left wrong_type, body.until out_of_order'],
      [{ method: 'GET', target: '/sessions?sort=x', headers: json }, 'query.sort no_branch'],
    ] as const) {
      const verdict = await judge(app, request as never, { services })
      expect(verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code }) => `${address} ${code}`).sort().join(', ') : verdict.outcome).toBe(expected)
    }
    const answer = await serve(app, { book: async () => ({ fine: true }), list: async () => [] } as never)(new Request('http://a.example/sessions/a', { method: 'POST', headers: json, body: '{"title":"a"}' }))
    expect(answer.status).toBe(200)
    for (const node of Object.values(app.endpoints).map(endpointNode))
      for (const body of [...node.bodies, ...(node.bodies.length > 0 ? [] : [undefined])])
        expect([compiled(node, body).read.name, Boolean(compiled(node, body).judge)]).toEqual([`read_${node.name}`, node.name === 'book'])
  } finally { globalThis.Function = Original }
})

const folder = mkdtempSync(fileURLToPath(new URL('.tmp-vite-', import.meta.url)))
afterAll(() => rmSync(folder, { recursive: true }))
test('with yosei/vite a server has its code without a file of it, and a page interprets', () => {
  const build = (entry: string, how: string) => {
    const { stdout, stderr } = spawnSync(process.execPath, [fileURLToPath(new URL('page-build.js', import.meta.url)), join(folder, entry), how], { encoding: 'utf8', maxBuffer: 1e8 })
    expect(stderr).toBe('')
    return stdout
  }
  writeFileSync(join(folder, 'limit.ts'), 'export const most: number = 5')
  writeFileSync(join(folder, 'intake.ts'), `import { endpoint, integer, intake, record } from 'yosei'
import { most } from './limit.js'
export default intake({ endpoints: { add: endpoint('POST /', { body: record({ stars: integer({ max: most }) }) }) } })`)
  writeFileSync(join(folder, 'server.ts'), `import { judge } from 'yosei'
import app from './intake.js'
import { prepared } from './intake.prepared.js'
const { status } = await judge(prepared(app), { method: 'POST', target: '/', headers: { 'content-type': 'application/json' }, body: '{"stars":6}' }) as any
console.log(status, Boolean(globalThis.reads))`)
  writeFileSync(join(folder, 'page.ts'), `import { judgeParts } from 'yosei'
import app from './intake.js'
import { prepared } from './intake.prepared.js'
document.title = judgeParts(prepared(app).endpoints.add, { body: { stars: 6 } }).outcome`)
  const server = build('server.ts', 'server').replace(/\(function read_add\(.*\) \{/, '$& globalThis.reads = true;')
  const { stdout, stderr } = spawnSync(process.execPath, ['--disallow-code-generation-from-strings', '--input-type=module'], { input: server, encoding: 'utf8' })
  expect([stdout, stderr]).toEqual(['422 true\n', ''])
  const page = build('page.ts', 'plugin')
  expect(page).not.toContain('digest')
  const document = { title: '' }
  runInNewContext(page, { document, TextDecoder, TextEncoder, URL, Blob, console, crypto })
  expect(document.title).toBe('rejected')
})

/** What a page takes of the library: built by Vite, and run. */
import { spawnSync } from 'node:child_process'
import { cpSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { runInNewContext } from 'node:vm'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, expect, test } from '@jest/globals'

let folder: string
beforeAll(() => {
  folder = mkdtempSync(fileURLToPath(new URL('../../../node_modules/.page-', import.meta.url)))
})
afterAll(() => rmSync(folder, { recursive: true }))

/** A service's declarations, as a page shares them. */
const declared = `import { endpoint, instant, integer, record, text } from 'yosei'
const window = record({ opens: instant(), closes: instant() }, { rules: (on) => [on.ascending('opens', 'closes')] })
export const book = endpoint('POST /sessions', {
  body: record({ mail: text({ format: 'email' }), seats: integer({ max: 9, optional: true }), reason: text({ optional: true }), window }),
  rules: ({ needed, above }) => [needed('body.reason', above('body.seats', 5))],
})`
const shown = (from: string) => `import { judgeParts } from '${from}'
import { book } from './declared.js'
const body = { mail: 'x', seats: 7, window: { opens: '2031-03-02T00:00:00Z', closes: '2031-03-01T00:00:00Z' } }
globalThis.told = JSON.stringify(judgeParts(book, { body }).errors.map(({ address, message }) => address + ' ' + message))`

function built(modules: { readonly [name: string]: string }, plugin = '') {
  for (const [name, code] of Object.entries(modules)) writeFileSync(join(folder, name), code)
  const script = fileURLToPath(new URL('page-build.js', import.meta.url))
  const { stdout: code, stderr } = spawnSync(process.execPath, [script, join(folder, 'main.js'), plugin], {
    encoding: 'utf8',
  })
  expect(stderr).toBe('')
  const page: { told?: string; [name: string]: unknown } = { TextDecoder, TextEncoder, URL, Blob, console, crypto }
  page.globalThis = page
  const run = () => {
    runInNewContext(code, page)
    return JSON.parse(page.told as string) as string[]
  }
  return { size: gzipSync(code, { level: 9 }).length, run }
}

test("behind the plugin a service's declarations are used unchanged, and bring what they name", () => {
  const page = built({ 'declared.js': declared, 'main.js': shown('yosei') }, 'plugin')
  const whole = built({ 'declared.js': declared, 'main.js': shown('yosei') })
  expect(page.run()).toEqual(whole.run())
  expect(whole.run()).toHaveLength(3)
  expect(page.size).toBeLessThan(whole.size / 2)
})
test('without it a page brings its rules itself; one that is missing throws when the page loads, and names the import', () => {
  const lone = { 'declared.js': declared.replace("'yosei'", "'yosei/page'"), 'main.js': shown('yosei/page') }
  const missing = built(lone)
  expect(missing.run).toThrow("import { ascending, use } from 'yosei/page', and call use({ ascending })")
  const brought = `import { ascending, needed, use } from 'yosei/page'\nuse({ ascending, needed })\n`
  const page = built({
    'use.js': brought,
    'declared.js': `import './use.js'\n${lone['declared.js']}`,
    'main.js': lone['main.js'],
  })
  expect(page.run()).toHaveLength(3)
})
test('a format that no module names throws when the page loads', () => {
  const hidden = declared.replace("'email'", "'em' + 'ail'")
  const page = built({ 'declared.js': hidden, 'main.js': shown('yosei') }, 'plugin')
  expect(page.run).toThrow('text(), format email: this page does not have the format')
})

test.each([
  ['yosei', 'plugin'],
  ['yosei', ''],
  ['yosei/page', ''],
])('a field judges as a standard schema in a page that asks for nothing else: %s %s', (from, plugin) => {
  const code = `import { integer, list } from '${from}'
globalThis.told = JSON.stringify(list(integer())['~standard'].validate([1, 'x']).issues.map(({ message, path }) => path + ' ' + message))`
  expect(built({ 'main.js': code }, plugin).run()).toEqual(['1 must be a whole number; "x" was sent'])
})

test('a command judges what another copy of the library has declared', () => {
  const dist = fileURLToPath(new URL('../dist/', import.meta.url))
  cpSync(dist, join(folder, 'copy/dist'), { recursive: true })
  cpSync(join(dist, '../package.json'), join(folder, 'copy/package.json'))
  const script = `
    import { judge } from './copy/dist/index.js'
    import { endpoint, instant, intake, list, record, tagged } from 'yosei'
    const shape = tagged('of', { disc: record({ at: instant() }, { rules: (on) => [on.absent('at', on.sent('at'))] }) })
    const app = intake({ endpoints: { put: endpoint('PUT /', { body: list(shape) }) } })
    const request = { method: 'PUT', target: '/', headers: { 'content-type': 'application/json' }, body: '[{"of":"disc","at":"2031-03-01T00:00:00Z"}]' }
    console.log((await judge(app, request)).errors.map(({ address, message }) => address + ' ' + message).join())`
  writeFileSync(join(folder, 'foreign.js'), script)
  const { stdout, stderr } = spawnSync(process.execPath, [join(folder, 'foreign.js')], { encoding: 'utf8' })
  expect([stdout.trim(), stderr]).toEqual(['body[0].at must not be sent when body[0].at is sent', ''])
})

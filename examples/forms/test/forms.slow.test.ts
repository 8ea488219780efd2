/** The three forms as people have them: built by Vite, in a real browser, in two languages. */
import { spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { readFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import type { Browser } from 'playwright-core'
import { launch } from '../../../packages/yosei-desk/test/browser.ts'

const root = fileURLToPath(new URL('..', import.meta.url))
const docs = readFileSync(join(root, '../../docs/forms.md'), 'utf8')
const types: { readonly [end: string]: string } = { html: 'text/html', js: 'text/javascript', css: 'text/css' }
let browser: Browser
let server: Server
beforeAll(async () => {
  const vite = join(root, '../../node_modules/vite/bin/vite.js')
  const env = { ...process.env, NODE_ENV: 'production' }
  const { status, stderr } = spawnSync(process.execPath, [vite, 'build'], { cwd: root, encoding: 'utf8', env })
  if (status !== 0) throw new Error(stderr)
  server = createServer(({ url = '' }, response) => {
    const file = (url.split('?')[0] as string).slice(1)
    response.setHeader('content-type', types[file.split('.').at(-1) as string] ?? 'text/plain')
    response.end(readFileSync(join(root, 'dist', file)))
  }).listen(0, '127.0.0.1')
  await once(server, 'listening')
  browser = await launch()
})
afterAll(async () => {
  await browser?.close()
  server?.close()
})

const good = {
  title: ' Heron Cluster ',
  contact: 'ada@example.org',
  kind: 'survey',
  from: '2031-03-01',
  until: '2031-03-04',
  hours: '12',
}
const read = { ...good, title: 'Heron Cluster', hours: 12 }
const wrong = { ...good, title: 'ab', contact: 'ada', until: '2031-02-28', hours: '21' }
const errors = {
  en: {
    title: 'must have at least 5 characters; "ab" was sent',
    contact: 'must be an e-mail address such as ada@example.org; "ada" was sent',
    until: 'must not come before “First night” ("2031-03-01"); "2031-02-28" was sent',
    reason: 'must be sent when “Hours in all” is more than 20',
  },
  de: {
    title: 'muss mindestens 5 Zeichen haben; gesendet wurde "ab"',
    contact: 'muss eine E-Mail-Adresse sein, etwa ada@example.org; gesendet wurde "ada"',
    until: 'darf nicht vor „Erste Nacht“ ("2031-03-01") liegen; gesendet wurde "2031-02-28"',
    reason: 'muss gesendet werden, wenn „Stunden insgesamt“ mehr als 20 ist',
  },
} as const

describe.each(['plain', 'tanstack', 'mantine'])('%s', (name) => {
  test.each(['en', 'de'] as const)('judges as one types, and again when one sends, in %s', async (language) => {
    const page = await browser.newPage()
    page.setDefaultTimeout(20_000)
    const odd: string[] = []
    const scripts = new Set<string>()
    page.on('request', (request) => {
      const [, file] = /\/(assets\/.*\.js)$/.exec(request.url()) ?? []
      if (file) scripts.add(file)
    })
    page.on('pageerror', ({ message }) => odd.push(message))
    await page.goto(
      `http://127.0.0.1:${(server.address() as AddressInfo).port}/index.html?form=${name}&lang=${language}`,
    )
    const at = (field: string) => page.locator(`[name=${field}]`)
    const fill = async (values: { readonly [field: string]: string }) => {
      for (const [field, value] of Object.entries(values))
        await (field === 'kind' ? at(field).selectOption(value) : at(field).fill(value))
    }
    const shown = async () =>
      Object.fromEntries(
        (await page.locator('small').evaluateAll((all) => all.map(({ id, textContent }) => [id, textContent])))
          .filter(([, text]) => text !== '')
          .map(([id, text]) => [id?.replace('-error', ''), text]),
      )
    expect(await shown()).toEqual({})
    // What one has left is judged; what one types then, at once.
    await at('title').pressSequentially('ab')
    await at('title').blur()
    await page.locator('#title-error:not(:empty)').waitFor()
    expect(await shown()).toEqual({ title: errors[language].title })
    await at('title').pressSequentially('cde')
    await page.locator('#title-error:empty').waitFor()
    // All at once, at the fields.
    await fill(wrong)
    await page.getByRole('button').click()
    await page.locator('#reason-error:not(:empty)').waitFor()
    expect(await shown()).toEqual(errors[language])
    expect(await at('until').getAttribute('aria-invalid')).toBe('true')
    await fill(good)
    await page.getByRole('button').click()
    await page.locator('#accepted', { hasText: '{' }).waitFor()
    expect(await shown()).toEqual({})
    expect(JSON.parse((await page.locator('#accepted').textContent()) as string)).toEqual(read)
    expect(odd).toEqual([])
    await page.close()
    const bytes = [...scripts].map((file) => gzipSync(readFileSync(join(root, 'dist', file))).length)
    const [, said] = new RegExp(`\`${name}\\.tsx?\`[^\\n]* (\\d+) kB`).exec(docs) ?? []
    expect(Math.abs(bytes.reduce((sum, one) => sum + one) / 1000 - Number(said))).toBeLessThan(1)
  })
  test('stands in the docs as it is', () => {
    const blocks = [...docs.matchAll(new RegExp(`\`${name}\\.tsx?\`[^\`]*\`\`\`\\w+\\n([\\s\\S]*?)\`\`\``, 'g'))]
    const source = readFileSync(join(root, name === 'plain' ? 'plain.ts' : `${name}.tsx`), 'utf8')
    expect(blocks.length).toBeGreaterThan(0)
    for (const [, code = ''] of blocks)
      for (const line of code.trim().split('\n')) expect(source).toContain(line.trim())
  })
})

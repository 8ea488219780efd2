/** The site as it is built, in a real browser: its pages, the search, and the playground. */
import { execFileSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { dirname, extname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import axe from 'axe-core'
import type { Browser, Page } from 'playwright-core'
import { codes } from 'yosei/codes'
import { launch } from '../../packages/yosei-desk/test/browser.ts'

const site = join(dirname(fileURLToPath(import.meta.url)), '..')
const types: { readonly [extension: string]: string } = {
  '.html': 'text/html',
  '.js': 'text/javascript',
  '.css': 'text/css',
  '.json': 'application/json',
}
let browser: Browser
let server: Server
let url = ''
/** What pages asked of other hosts, and what went wrong in them. */
const odd: string[] = []
beforeAll(async () => {
  execFileSync(process.execPath, [join(site, 'build.js')], { stdio: 'pipe' })
  server = createServer(({ url: target = '/' }, response) => {
    const path = join(site, 'dist', new URL(target, 'http://x').pathname)
    const file = [path, `${path}.html`, join(path, 'index.html')].find((one) => existsSync(one) && extname(one) !== '')
    response.writeHead(file ? 200 : 404, { 'content-type': types[extname(file ?? '')] ?? 'application/octet-stream' })
    response.end(file ? readFileSync(file) : '')
  }).listen(0)
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  browser = await launch()
}, 300_000)
afterAll(async () => {
  await browser?.close()
  server?.close()
})

async function open(path: string, { dark = false, width = 1280 } = {}): Promise<Page> {
  const page = await browser.newPage({ viewport: { width, height: 800 }, colorScheme: dark ? 'dark' : 'light' })
  page.setDefaultTimeout(30_000)
  page.on('pageerror', (error) => void odd.push(`${path}: ${error}`))
  page.on('request', (request) => {
    if (!/^(?:data|blob):/.test(request.url()) && !request.url().startsWith(url))
      odd.push(`${path} asks ${request.url()}`)
  })
  page.on(
    'response',
    (response) => void (response.status() >= 400 && odd.push(`${path}: ${response.status()} ${response.url()}`)),
  )
  await page.goto(url + path)
  await page.locator('h1').first().waitFor()
  return page
}
const pagesIn = (folder: string) =>
  readdirSync(join(site, 'dist', folder)).flatMap((name) =>
    name.endsWith('.html') ? [`/${folder}/${name.slice(0, -5)}`] : [],
  )

test('each page opens, and none asks another host for anything', async () => {
  const pages = ['/', '/play', ...pagesIn('guide'), ...pagesIn('reference')]
  expect(pages.length).toBeGreaterThan(30)
  const page = await open('/')
  for (const path of pages) {
    await page.goto(url + path)
    await page.locator('h1').first().waitFor()
  }
  await page.close()
  expect(odd).toEqual([])
})

test('each code has its place, and the search finds it', async () => {
  const page = await open('/reference/codes#above_max')
  expect(await page.locator('h2[id]').evaluateAll((all) => all.map(({ id }) => id))).toEqual(Object.keys(codes))
  expect(await page.locator('#above_max').evaluate((one) => Math.abs(one.getBoundingClientRect().top) < 200)).toBe(true)
  await page.keyboard.press('Control+k')
  await page.locator('#localsearch-input').fill('above_max')
  await page.locator('.results .result').first().waitFor()
  await page.keyboard.press('Enter')
  await page.waitForURL(/#/)
  await page.close()
})

test.each([
  [false, 1280],
  [true, 1280],
  [false, 390],
])('axe finds nothing (dark: %s, %i wide)', async (dark, width) => {
  for (const path of dark || width < 1280
    ? ['/', '/guide/rules']
    : ['/', '/guide/rules', '/reference/yosei', '/reference/codes']) {
    const page = await open(path, { dark, width })
    await page.evaluate(axe.source)
    const found = await page.evaluate(async () => {
      const { violations } = await (
        globalThis as unknown as {
          axe: { run(): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> }
        }
      ).axe.run()
      return violations.map(({ id, nodes }) => `${id} ${nodes.length} ${nodes[0]?.html.slice(0, 200)}`)
    })
    expect([path, found]).toEqual([path, []])
    await page.close()
  }
})

test('the playground judges a declaration as it is typed, in a frame without origin and network', async () => {
  const page = await open('/')
  expect(await page.locator('iframe').count()).toBe(0)
  await page.getByRole('button', { name: 'A bakery' }).click()
  expect(await page.locator('iframe').getAttribute('sandbox')).toBe('allow-scripts')
  const frame = page.frameLocator('iframe')
  await frame.getByText('Order bread').first().waitFor()
  await frame.locator('.outcome, header').getByText('accepted').first().waitFor()

  // A limit is changed: the request breaks it.
  const editor = frame.getByRole('textbox', { name: 'Declaration' })
  await editor.click()
  await page.keyboard.press('Control+Home')
  for (let line = 0; line < 8; line++) await page.keyboard.press('ArrowDown')
  expect(await editor.textContent()).toContain('name: text({ length: [1, 60]')
  await frame.getByText('[1, 60]').first().waitFor()
  const type = async (source: string) => {
    await editor.evaluate((one) => (one as HTMLElement).focus())
    await page.keyboard.press('Control+a')
    await page.keyboard.insertText(`import { endpoint, record, text } from 'yosei'\n${source}\n`)
  }
  const short = "endpoint('POST /orders', { title: 'Short', body: record({ name: text({ length: [5, 60] }) }) })"
  await type(short)
  await frame.getByText('Short').first().waitFor()
  await frame.getByText('must have at least 5 characters').or(frame.getByText('is not known here')).first().waitFor()

  // What was typed last stays, also if a declaration before it takes longer.
  await type("await new Promise((done) => setTimeout(done, 1000))\nendpoint('GET /late', { title: 'Late' })")
  await page.waitForTimeout(400)
  await type(short)
  await page.waitForTimeout(1500)
  expect(await frame.locator('h1').textContent()).toBe('Short')

  // What makes no sense is reported, and the last declaration still judges.
  await editor.evaluate((one) => (one as HTMLElement).focus())
  await page.keyboard.press('Control+End')
  await page.keyboard.insertText('} ')
  await frame.locator('.broken').waitFor()
  await page.keyboard.press('Control+z')
  await frame.locator('.broken').waitFor({ state: 'detached' })

  // No network, and no origin.
  const inner = page.frames().find((one) => one.url().includes('/playground/'))
  const reached = await inner?.evaluate(async (target) => {
    const came = await fetch(target).then(
      () => 'reached',
      (error: Error) => error.name,
    )
    return [came, self.origin]
  }, url)
  expect(reached).toEqual(['TypeError', 'null'])

  // The link brings it back, with the request.
  await page.waitForURL(/#try=.{50}/)
  await page.waitForTimeout(1000)
  const again = await open(new URL(page.url()).pathname + new URL(page.url()).hash)
  await again.frameLocator('iframe').getByText('Short').first().waitFor()
  await page.close()
  await again.close()
})

test('an example of the guide opens in the playground', async () => {
  const page = await open('/guide/rules')
  await page.locator('a.try').first().click()
  await page.waitForURL(/\/play#try=/)
  await page.frameLocator('iframe').getByText('GET /nights').first().waitFor()
  await page.close()
  expect(odd).toEqual([])
})

/** The pages as people have them: in a real browser, over the server as it runs. */
import { spawnSync } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import axe from 'axe-core'
import type { Browser, Page } from 'playwright-core'
import { launch } from '../../../packages/yosei-desk/test/browser.ts'
import { type Observatory, start } from '../server/start.ts'

const root = join(dirname(fileURLToPath(import.meta.url)), '../../..')
let browser: Browser
let observatory: Observatory
beforeAll(async () => {
  const built = spawnSync(
    process.execPath,
    [join(root, 'node_modules/vite/bin/vite.js'), 'build', '--config', 'examples/observatory/page/vite.config.ts'],
    { cwd: root, encoding: 'utf8' },
  )
  if (built.status !== 0) throw new Error(built.stdout + built.stderr)
  ;[browser, observatory] = await Promise.all([launch(), start()])
})
afterAll(async () => {
  await browser?.close()
  await observatory?.close()
})

async function open(path = '/', options: { dark?: boolean; width?: number } = {}): Promise<Page> {
  const { dark = false, width = 1280 } = options
  const context = await browser.newContext({ viewport: { width, height: 900 }, colorScheme: dark ? 'dark' : 'light' })
  const page = await context.newPage()
  page.setDefaultTimeout(30_000)
  page.on('pageerror', (error) => {
    throw error
  })
  await page.goto(observatory.url + path)
  await page.locator('main').waitFor()
  return page
}
const at = (page: Page, address: string) => page.locator(`[id=${JSON.stringify(address)}]`)
const faultsAt = (page: Page, address: string) => page.locator(`[data-faults=${JSON.stringify(address)}]`)
const fill = async (page: Page, address: string, value: string) => {
  const control = at(page, address)
  if ((await control.evaluate((one) => one.tagName)) === 'SELECT') await control.selectOption(value)
  else await control.fill(value)
}
const send = (page: Page) => page.getByRole('button', { name: 'Book', exact: true }).click()
const good: [address: string, value: string][] = [
  ['body.target.name', 'Heron Cluster'],
  ['body.target.rightAscension', '05:35:17.3'],
  ['body.target.declination', '-5.4'],
  ['body.exposures[0].filter', 'red'],
  ['body.exposures[0].seconds', '60'],
  ['body.price', '80'],
  ['body.contact', 'bo@nebula.example'],
]
/** A window so many days from now. */
async function fillAll(page: Page, days: number, telescope = 'kr-2'): Promise<void> {
  for (const [address, value] of good) await fill(page, address, value)
  const night = (hours: number) =>
    new Date((Math.floor(Date.now() / 86_400_000) + days) * 86_400_000 + hours * 3_600_000).toISOString().slice(0, 16)
  await fill(page, 'path.telescopeId', telescope)
  await fill(page, 'body.window.opens', night(22))
  await fill(page, 'body.window.closes', night(25))
}

test('a fault is told when its field is left, and goes as it is mended', async () => {
  const page = await open()
  const rows: [address: string, wrong: string, words: RegExp, right: string][] = [
    ['header.x-team', 'Nebula 2', /must match the pattern/, 'nebula'],
    ['body.target.rightAscension', '25:00:00', /hours, minutes and seconds/, '05:35:17.3'],
    ['body.target.declination', '-91', /at least -90/, '-5'],
    ['body.exposures[0].seconds', '0.3', /a multiple of 0\.5/, '60'],
    ['body.exposures[0].count', '1.5', /a whole number/, '2'],
    ['body.overhead', 'PT3H', /at most PT2H/, 'PT10M'],
    ['body.price', '80.005', /2 digits after the point/, '80'],
    ['body.contact', 'nobody', /an e-mail address/, 'bo@nebula.example'],
    ['body.doorCode', '123', /6 characters/, '123456'],
  ]
  for (const [address, wrong, words, right] of rows) {
    await at(page, address).focus()
    await fill(page, address, wrong)
    expect([address, await faultsAt(page, address).textContent()]).toEqual([address, ''])
    await at(page, address).blur()
    await faultsAt(page, address).filter({ hasText: words }).waitFor()
    expect(await at(page, address).getAttribute('aria-invalid')).toBe('true')
    await fill(page, address, right)
    expect([address, await faultsAt(page, address).textContent()]).toEqual([address, ''])
  }
  // Across fields: at the one that is to blame.
  await at(page, 'body.window.closes').focus()
  await fill(page, 'body.window.closes', '2020-01-01T00:00')
  await at(page, 'body.window.closes').blur()
  await faultsAt(page, 'body.window.closes')
    .filter({ hasText: /^must come after Opens \(\d+ \w+, \d\d:\d\d\); 1 January 2020, 00:00 was sent$/ })
    .waitFor()
  await page.getByRole('button', { name: '+ exposures' }).click()
  await at(page, 'body.exposures[1].filter').focus()
  await fill(page, 'body.exposures[0].filter', 'red')
  await fill(page, 'body.exposures[1].filter', 'red')
  await at(page, 'body.exposures[1].seconds').focus()
  await faultsAt(page, 'body.exposures[1].filter').filter({ hasText: 'must not repeat Exposures 1, filter' }).waitFor()
  await page.getByRole('button', { name: 'take out Exposures 2' }).click()
  await fill(page, 'body.observing.mode', 'survey')
  await at(page, 'body.observing.tiles').waitFor()
  await page.context().close()
})

test('a session is booked; what only the server knows lands at its field, and stays until that changes', async () => {
  const page = await open()
  const summary = page.locator('.summary')
  const isFocused = () => page.waitForFunction(() => document.activeElement?.className === 'summary')
  for (let times = 0; times < 2; times++) {
    await at(page, 'body.contact').focus()
    await send(page)
    await summary.filter({ hasText: '7 fields are not right yet' }).waitFor()
    await isFocused()
  }
  expect(await summary.textContent()).not.toMatch(/body\.|header\./)
  await summary.getByRole('link', { name: 'Contact' }).click()
  await page.waitForFunction(() => document.activeElement?.id === 'body.contact')
  await fillAll(page, 4)
  await send(page)
  await faultsAt(page, 'body.window').filter({ hasText: 'lies in a night that is booked already' }).waitFor()
  await isFocused()
  await fill(page, 'body.target.name', 'Heron')
  expect(await faultsAt(page, 'body.window').textContent()).toBe('lies in a night that is booked already')
  await fillAll(page, 20)
  expect(await faultsAt(page, 'body.window').textContent()).toBe('')
  await page.getByLabel('your key').fill('unknown-key')
  await send(page)
  await summary.getByRole('link', { name: 'Your key' }).click()
  await page.waitForFunction(() => document.activeElement?.id === 'header.authorization')
  await page.getByLabel('your key').fill('nebula-key')
  // A reload keeps the form. A second click, or the same form once more, books nothing more.
  await page.reload()
  expect(await at(page, 'body.target.name').inputValue()).toBe('Heron Cluster')
  const keys = new Set<string | undefined>()
  let count = 0
  page.on('request', (asked) => {
    if (asked.method() !== 'POST') return
    count++
    keys.add(asked.headers()['idempotency-key'])
  })
  let go = () => {}
  const held = new Promise<void>((resolve) => {
    go = resolve
  })
  await page.route('**/telescopes/*/sessions?*', (route) => held.then(() => route.continue()), { times: 1 })
  await page.getByRole('button', { name: 'Book', exact: true }).dblclick()
  await page.getByRole('button', { name: 'Booking …' }).click({ force: true })
  expect(count).toBe(1)
  go()
  const done = page.getByText(/Session s-\d{6} is booked for the night of/)
  await done.waitFor()
  const said = await done.textContent()
  await send(page)
  await page.waitForFunction(() => document.querySelector('button.main')?.textContent === 'Book')
  expect([await done.textContent(), count, keys.size]).toEqual([said, 2, 1])
  await page.locator('.booked', { hasText: 'nebula' }).waitFor()
  expect(await at(page, 'body.window.opens-help').textContent()).toMatch(
    /^from \d+ (?:December|\w+)(?: \d{4})?, \d\d:\d\d, until \d+|^from \d+ \w+/,
  )
  await page.context().close()
})

test('two browsers book one night at once: one is told, in the form', async () => {
  const [one, two] = await Promise.all([open(), open()])
  await Promise.all([fillAll(one, 30), fillAll(two, 30)])
  await Promise.all([send(one), send(two)])
  const outcomes = await Promise.all(
    [one, two].map(async (page) => {
      await page.locator('.done:not(:empty), .summary:not([hidden])').first().waitFor()
      return (await page.locator('.summary').isVisible())
        ? faultsAt(page, 'body.window').textContent()
        : page.locator('.done').textContent()
    }),
  )
  expect(outcomes.sort()).toEqual([
    expect.stringMatching(/^Session s-\d{6} is booked/),
    'lies in a night that is booked already',
  ])
  await Promise.all([one.context().close(), two.context().close()])
})

test('the night is a picture: an overlap is seen, edges are dragged and moved by keys; filters outlast a reload', async () => {
  const page = await open()
  await fill(page, 'body.window.opens', await at(page, 'body.window.opens').inputValue())
  await page.getByText('It overlaps with s-000003 of nebula.').waitFor()
  const before = await at(page, 'body.window.closes').inputValue()
  const box = await page.locator('[data-edge=closes]').boundingBox()
  if (!box) throw new Error('there is no edge')
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width / 2 + 80, box.y + 10, { steps: 4 })
  await page.mouse.up()
  const after = await at(page, 'body.window.closes').inputValue()
  expect(Date.parse(after) - Date.parse(before)).toBeGreaterThan(3_600_000)
  await page.locator('[data-edge=opens]').focus()
  const opens = await at(page, 'body.window.opens').inputValue()
  await page.keyboard.press('ArrowRight')
  expect(Date.parse(await at(page, 'body.window.opens').inputValue()) - Date.parse(opens)).toBe(300_000)
  // An edge that comes to the other pushes it.
  const [one, other] = await Promise.all(
    ['opens', 'closes'].map((edge) => page.locator(`[data-edge=${edge}]`).boundingBox()),
  )
  if (!one || !other) throw new Error('there are no edges')
  await page.mouse.move(one.x + one.width / 2, one.y + 20)
  await page.mouse.down()
  await page.mouse.move(other.x + 60, one.y + 20, { steps: 4 })
  await page.mouse.up()
  const [pushing, pushed] = [
    await at(page, 'body.window.opens').inputValue(),
    await at(page, 'body.window.closes').inputValue(),
  ]
  expect([Date.parse(pushed) - Date.parse(pushing), pushing > after]).toEqual([300_000, true])
  await page.locator('.filters').getByLabel('telescope').selectOption('kr-1')
  await page.getByLabel('sorted by').selectOption('-opens')
  await page.waitForFunction(() => location.search === '?telescope=kr-1&sort=-opens')
  await page.waitForFunction(() =>
    [...document.querySelectorAll('.sessions td:nth-child(2)')].every((one) => one.textContent === 'kr-1'),
  )
  await page.reload()
  expect([
    await page.locator('.filters').getByLabel('telescope').inputValue(),
    await page.getByLabel('sorted by').inputValue(),
  ]).toEqual(['kr-1', '-opens'])
  await page.goBack()
  await page.waitForFunction(() => location.search === '?telescope=kr-1')
  expect(await page.getByLabel('sorted by').inputValue()).toBe('')
  await page.goto(`${observatory.url}/?telescope=%20kr-1%20,%20kr-2%20`)
  await page.locator('.sessions td', { hasText: 'kr-2' }).first().waitFor()
  await page.goto(`${observatory.url}/?telescope=KR`)
  await page.locator('#filter-faults', { hasText: 'telescope must match the pattern' }).waitFor()
  await page.context().close()
})

test("the operators' page shows a rejection within a second, to operators alone", async () => {
  const page = await open('/operator')
  await page.locator('.chart').waitFor()
  // The page's own clock is stopped: within one second of it, the page reads the journal again.
  await page.clock.install()
  await page.reload()
  await page.clock.pauseAt(Date.now() + 60_000)
  await page.locator('.chart').waitFor()
  await fetch(`${observatory.url}/sessions?limit=777`)
  await page.clock.runFor(1000)
  await page.locator('.tally', { hasText: 'listSessions query.limit above_max' }).waitFor()
  await page.clock.resume()
  await page.locator('.last', { hasText: `--with 'query.limit=777'` }).waitFor()
  await page.getByLabel('by', { exact: true }).selectOption('code')
  await page.locator('.tally', { hasText: /above_max/ }).waitFor()
  await fetch(`${observatory.url}/sessions?telescope=KR&telescope=XY`)
  await page.getByLabel('by', { exact: true }).selectOption('field')
  const counts = page.locator('.tally tbody tr', { hasText: 'query.telescope[]' }).locator('td')
  await counts.first().waitFor()
  expect((await counts.allTextContents()).slice(0, 2)).toEqual(['1', '2'])
  await page.route(
    '**/operator/events**',
    async (route) => {
      const response = await route.fetch()
      const came = (await response.json()) as { next: number }
      await route.fulfill({ json: { ...came, next: came.next + 7 } })
    },
    { times: 1 },
  )
  await page.getByText('7 older rejections are not counted here').waitFor()
  await page.getByLabel("operator's key").fill('nebula-key')
  await page.getByText('This key is not an operator’s: it shows nothing.').waitFor()
  expect(await page.locator('.tally tbody tr, .last li').count()).toBe(0)
  await page.context().close()
})

test.each([false, true])('axe finds nothing in five states (dark: %s)', async (dark) => {
  const all: string[] = []
  const look = async (state: string, page: Page) => {
    await page.waitForTimeout(300)
    await page.evaluate(axe.source)
    const found = await page.evaluate(async () => {
      const { axe } = globalThis as unknown as {
        axe: { run(): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> }
      }
      return (await axe.run()).violations.map(({ id, nodes }) => `${id} ${nodes[0]?.html.slice(0, 200)}`)
    })
    all.push(...found.map((one) => `${state}: ${one}`))
  }
  const page = await open('/', { dark })
  await look('blank', page)
  await send(page)
  await look('faults', page)
  await fillAll(page, 4)
  await look('filled', page)
  await page.setViewportSize({ width: 360, height: 800 })
  await look('phone', page)
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBe(360)
  await page.goto(`${observatory.url}/operator`)
  await page.locator('.tally tr').first().waitFor()
  await look('operator', page)
  expect(all).toEqual([])
  await page.context().close()
})

test('what a browser gets holds nothing of the server', () => {
  const folder = join(root, 'examples/observatory/dist/page/assets')
  const code = readdirSync(folder)
    .map((file) => readFileSync(join(folder, file), 'utf8'))
    .join('\n')
  expect(code).toContain('night_booked')
  for (const word of ['insert into', 'advisory_xact_lock', 'postgres', 'createHash', 'busboy', 'dome-keyhole'])
    expect(code).not.toContain(word)
})

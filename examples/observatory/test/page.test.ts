import { type ChildProcess, spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { type Browser, chromium, type Page } from 'playwright-core'

const here = dirname(fileURLToPath(import.meta.url))
let demo: ChildProcess
let browser: Browser
let page: Page

/** The system's Chromium where there is one, else the one that a package ships. */
async function launch(): Promise<Browser> {
  const args = [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ]
  const system = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find(existsSync)
  if (system) return chromium.launch({ executablePath: system, args })
  const { default: shipped } = await import('@sparticuz/chromium')
  return chromium.launch({ executablePath: await shipped.executablePath(), args: [...shipped.args, ...args] })
}

/** Starts the demonstration as a person does, and waits for the page's address. */
function startDemo(): Promise<string> {
  demo = spawn(process.execPath, [join(here, '../demo.js')], {
    cwd: join(here, '../../..'),
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  return new Promise((resolve, reject) => {
    let printed = ''
    demo.stdout?.on('data', (chunk) => {
      printed += chunk
      const address = /The page: (\S+)/.exec(printed)?.[1]
      if (address) resolve(address)
    })
    demo.on('exit', (code) => reject(new Error(`the demonstration ended with ${code}: ${printed}`)))
  })
}

beforeAll(async () => {
  const [address, launched] = await Promise.all([startDemo(), launch()])
  browser = launched
  page = await browser.newPage()
  await page.goto(address)
})
afterAll(async () => {
  await browser?.close()
  demo?.kill()
})

const status = () => page.getByRole('status').textContent()
const row = (address: string) => page.locator(`tr[data-address="${address}"]`)
const error = (address: string) => page.locator(`tr[data-error-at="${address}"]`)

test('every sample is shown as its book says', async () => {
  await page.getByRole('button', { name: 'Many mistakes at once' }).waitFor()
  expect(await page.getByRole('navigation').getByRole('button').count()).toBeGreaterThanOrEqual(20)
  expect(await page.getByText('not as written').count()).toBe(0)
})

test('a sample is chosen, a value is broken, and its row and the status tell so', async () => {
  await page.getByRole('button', { name: 'A dry run' }).click()
  await expect(status()).resolves.toBe('accepted')
  expect(await row('query.dryRun').textContent()).toBe('query.dryRuntruetrue')
  expect(await row('body.window.opens').textContent()).toBe(
    'body.window.opens2031-03-05T02:00:00+02:002031-03-05T00:00:00Z',
  )
  expect(await row('body.exposures[0].count').textContent()).toBe('body.exposures[0].count1 by default')

  const body = page.getByLabel('Body')
  await body.fill((await body.inputValue()).replace('"seconds": 60', '"seconds": "long"'))
  await error('body.exposures[0].seconds').waitFor()
  expect(await status()).toBe('422')
  expect(await error('body.exposures[0].seconds').textContent()).toBe('must be a number; "long" was sent')

  await page.getByLabel('Path and query').fill('/telescopes/KR/sessions')
  await error('path.telescopeId').waitFor()
  expect(await status()).toBe('400')
  await page.getByLabel('Method').selectOption('GET')
  await page.getByText('this path takes OPTIONS, POST').waitFor()
  expect(await status()).toBe('405')

  await page.getByRole('button', { name: 'A dry run' }).click()
  await page.getByText('by bookSession').waitFor()
  expect(await status()).toBe('accepted')
})

test('what no field holds has a row too', async () => {
  await page.getByRole('button', { name: 'Nothing to change' }).click()
  await error('body').waitFor()
  expect(await error('body').textContent()).toMatch(/^needs one of body\.target/)
})

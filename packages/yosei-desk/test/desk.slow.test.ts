/** The desk as its users have it: the command as a process, and the page in a real browser. */
import { type ChildProcess, spawn } from 'node:child_process'
import { cpSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { extname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import axe from 'axe-core'
import type { Browser, Locator, Page } from 'playwright-core'
import { readBook } from 'yosei-cli/book'
import { Folder, root, yosei } from '../../yosei-cli/test/run.ts'
import { launch } from './browser.ts'

const command = join(root, 'packages/yosei-cli/bin/yosei.js')
let browser: Browser
const running: ChildProcess[] = []
beforeAll(async () => {
  browser = await launch()
})
afterAll(async () => {
  await browser?.close()
  for (const one of running) one.kill()
})

/** Starts a desk, and gives its address. */
function start(cwd: string, ...args: string[]): Promise<string> {
  const desk = spawn(process.execPath, [command, 'desk', ...args], { cwd, env: { ...process.env, NO_COLOR: '1' } })
  running.push(desk)
  return new Promise((resolve, reject) => {
    let printed = ''
    const on = (chunk: Buffer) => {
      printed += chunk
      const address = /The desk: (\S+)/.exec(printed)?.[1]
      if (address) resolve(address)
    }
    desk.stdout.on('data', on)
    desk.stderr.on('data', on)
    desk.on('exit', (code) => reject(new Error(`the desk ended with ${code}: ${printed}`)))
  })
}
/** The observatory, where its files can be changed. */
function observatory(): Folder {
  const folder = new Folder({})
  for (const name of ['intake.ts', 'services.ts', 'samples'])
    cpSync(join(root, 'examples/observatory', name), join(folder.cwd, name), { recursive: true })
  return folder
}
async function open(url: string, options: { dark?: boolean; width?: number } = {}): Promise<Page> {
  const { dark = false, width = 1280 } = options
  const context = await browser.newContext({
    viewport: { width, height: 800 },
    colorScheme: dark ? 'dark' : 'light',
    permissions: ['clipboard-read', 'clipboard-write'],
  })
  const page = await context.newPage()
  page.setDefaultTimeout(30_000)
  page.on('pageerror', (error) => {
    throw error
  })
  await page.goto(url)
  await page.locator('.line').first().waitFor()
  return page
}
const row = (page: Page, address: string) => page.locator(`[data-address=${JSON.stringify(address)}]`)
const control = (page: Page, address: string) =>
  row(page, address).locator('.sent').locator('input:not([hidden]), select, textarea').first()
const becomes = (page: Page, text: string) => page.locator('.verdict b', { hasText: new RegExp(`^${text}$`) }).waitFor()
const notice = (page: Page, text: RegExp) => page.getByRole('status').filter({ hasText: text }).waitFor()
const sample = (page: Page, id: string) => page.locator(`[data-sample$="${id}"]`)
/** As a person clicks: what the first click brings is there before the second, which nothing gets. */
async function doubleClick(page: Page, button: Locator) {
  const { x, y, width, height } = (await button.boundingBox()) as {
    x: number
    y: number
    width: number
    height: number
  }
  await page.evaluate(() => {
    const own = globalThis as unknown as { clicks: number; heard: AbortController }
    own.clicks = 0
    own.heard = new AbortController()
    document.addEventListener('click', () => own.clicks++, own.heard)
  })
  for (const wait of [150, 0]) {
    await page.mouse.click(x + width / 2, y + height / 2)
    await page.waitForTimeout(wait)
  }
  const clicks = await page.evaluate(() => {
    const own = globalThis as unknown as { clicks: number; heard: AbortController }
    own.heard.abort()
    return own.clicks
  })
  expect(clicks).toBe(1)
}
/** Opens a sample by a search, since the rail draws what is seen. */
async function openSample(page: Page, title: string, id: string): Promise<void> {
  await page.getByRole('searchbox').fill(title)
  // The same sample may be open already: it is there anew when it has been read and judged.
  const answered = (what: string) => page.waitForResponse((response) => response.url().includes(what))
  const judged = answered('/api/samples?id=').then(() => answered('/api/judgements'))
  await sample(page, id).click()
  await (await judged).finished()
  await page.locator('.title', { hasText: title }).waitFor()
  await page.locator('.verdict:not([data-old])').or(page.locator('.about [role=alert]')).first().waitFor()
}
const choose = async (page: Page, address: string, name: string | RegExp) => {
  await row(page, address)
    .getByRole('button', { name: `more for ${address}`, exact: true })
    .click()
  await page.getByRole('menuitem', { name }).first().click()
}
const act = async (page: Page, name: string) => {
  await page.keyboard.press('Control+k')
  await page.getByRole('dialog').getByRole('searchbox').fill(name)
  await page.getByRole('menuitem').first().waitFor()
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('Enter')
}
/** All faults that the ledger tells: at which address, with which code. */
const told = (page: Page) =>
  page.locator('.fault p').evaluateAll((all) =>
    all
      .map((one) => {
        const own = one.querySelector('code')?.textContent?.trim()
        return `${own ?? one.closest('[data-address]')?.getAttribute('data-address')} ${one.getAttribute('title')}`
      })
      .sort(),
  )

describe('over the observatory', () => {
  let folder: Folder
  let url: string
  let page: Page
  const book = () => readFileSync(join(folder.cwd, 'samples/book-a-session.md'), 'utf8')
  beforeAll(async () => {
    folder = observatory()
    url = await start(folder.cwd, 'intake.ts', 'samples', '--services', 'services.ts')
    page = await open(url)
  })
  afterAll(() => folder.remove())

  test('every sample is stamped with its verdict, and a rejected one shows each fault at its field', async () => {
    for (const file of readdirSync(join(folder.cwd, 'samples'))) {
      const samples = readBook(readFileSync(join(folder.cwd, 'samples', file), 'utf8'))
      for (const [index, { title, expectation }] of samples.entries()) {
        const id = `samples/${file}#${index + 1}`
        await openSample(page, title, id)
        const status = expectation?.outcome === 'rejected' ? String(expectation.status) : (expectation?.outcome ?? '')
        await becomes(page, status)
        expect(await sample(page, id).locator('.stamp').textContent()).toBe(status === 'accepted' ? 'ok' : status)
        if (expectation?.outcome !== 'rejected' || !expectation.errors || expectation.others) continue
        const wanted = expectation.errors.map(({ address, code }) => `${address} ${code}`).sort()
        await page.waitForFunction((count) => document.querySelectorAll('.fault p').length === count, wanted.length)
        expect([title, ...(await told(page))]).toEqual([title, ...wanted])
      }
    }
    expect(await page.locator('.sample em').count()).toBe(0)
  })

  test.each([
    ['session  BOOK', 'Book an observing session'],
    ['a night that is booked', 'A night that is booked, for a team that has had its share'],
    // Samples of /sessions with “that” in their titles stand higher, and are found by their address.
    ['that sessions', 'Sessions that do not fit together'],
    // “Show a telescope and its booked nights” has both words too.
    ['book an', 'Book an observing session'],
    ['post weather', 'Send weather, a reading a line'],
  ])('a search for “%s”, then Enter, opens “%s”', async (words, title) => {
    const search = page.getByRole('searchbox')
    await search.fill(words)
    await search.press('Enter')
    await page.locator('.title, h1', { hasText: title }).first().waitFor()
    await search.fill('')
  })

  test.each([
    [
      'A path that does not exist',
      16,
      '404',
      'No endpoint has GET /session',
      'GET /sessions',
      'no endpoint has this path',
    ],
    [
      'A method that the path does not take',
      15,
      '405',
      'No endpoint has PUT /sessions',
      'GET /sessions',
      'no endpoint has this method here',
    ],
    ['Until before from', 13, '422', 'List sessions', 'GET /sessions', '1 error'],
  ])('“%s” is headed by what it asks for, and the nearest that there is', async (title, number, status, ...head) => {
    await openSample(page, title, `list-sessions.md#${number}`)
    await becomes(page, status)
    const texts = ['h1', '.title code', '.verdict span'].map((selector) => page.locator(selector).first().textContent())
    expect(await Promise.all(texts)).toEqual(head)
  })

  test('one keystroke is read, judged and undone in its line; the way and the answer tell the rest', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    await control(page, 'body.contact').fill('nobody')
    await becomes(page, '422')
    expect(await told(page)).toEqual(['body.contact wrong_format'])
    expect(await control(page, 'body.contact').getAttribute('aria-invalid')).toBe('true')
    expect(await page.locator('.footnote').textContent()).toContain('body.contacttext, email')
    await page.keyboard.press('Control+z')
    await becomes(page, 'accepted')
    await page.keyboard.press('Control+Shift+z')
    await becomes(page, '422')
    await page.locator('.way button', { hasText: 'answer' }).click()
    await page.getByLabel('the language of the answer').selectOption('de')
    await page.locator('.station pre', { hasText: 'content-language: de' }).waitFor()
    expect(await page.locator('.station pre').textContent()).toContain('"body.contact"')
    await page.getByLabel('the form of the answer').selectOption('page')
    await page.frameLocator('iframe').locator('body', { hasText: 'contact' }).waitFor()
    await page.keyboard.press('Control+z')
    await page.locator('.way button', { hasText: 'lookups' }).click()
    expect(await page.locator('.station li').first().textContent()).toMatch(
      /held telescopeasked kr-2, found \{"id":"kr-2","aperture":1\.2\} \d+\.\d ms/,
    )
    await page.locator('.way button', { hasText: 'turn' }).click()
    expect(await page.locator('.station').textContent()).toContain('the key of night: 2031-03-03')
    await page.locator('.way button', { hasText: 'handle' }).click()
    expect(await page.locator('.station pre').textContent()).toContain('"doorCode": "(secret)"')
    await page.locator('.way button', { hasText: 'handle' }).click()
  })

  test('everything can be sent wrong, and right again', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    const wrongs: [address: string, choice: string | RegExp, faults: string[]][] = [
      ['body.price', 'leave it out', ['body.price missing']],
      ['body.price', 'send null', ['body.price null_not_allowed']],
      ['body.price', 'send a number', ['body.price wrong_type']],
      ['body.price', 'send a list', ['body.price wrong_type']],
      ['header.x-team', 'send it twice', ['header.x-team sent_twice']],
      ['body.contact', /^format email/, ['body.contact wrong_format']],
      ['body.window.closes', 'ascending', ['body.window.closes out_of_order']],
      ['query.dryRun', 'send an example', []],
      ['body.exposures[0]', 'take it out', []],
      ['body.exposures[1]', 'move it up', []],
    ]
    for (const [address, choice, faults] of wrongs) {
      await choose(page, address, choice)
      await becomes(page, faults.length === 0 ? 'accepted' : '4\\d\\d')
      expect([choice, ...(await told(page))]).toEqual([choice, ...faults])
      if (choice === 'leave it out') {
        expect(await row(page, address).getAttribute('data-left')).toBe('true')
        await row(page, address)
          .getByRole('button', { name: `send ${address} again` })
          .click()
      } else await page.keyboard.press('Control+z')
      await becomes(page, 'accepted')
    }
    await choose(page, 'body.exposures[1].seconds', 'write it as it stands')
    await control(page, 'body.exposures[1].seconds').fill('"5"')
    await becomes(page, '422')
    expect(await told(page)).toEqual(['body.exposures[1].seconds wrong_type'])
    await page.keyboard.press('Control+z')
    await page.getByRole('button', { name: 'add a name to body', exact: true }).click()
    await page.keyboard.type('nott')
    await page.keyboard.press('Enter')
    await becomes(page, '422')
    expect(await told(page)).toEqual(['body.nott unlisted'])
    await page.getByRole('button', { name: 'fill with everything' }).click()
    await page.waitForFunction(() => document.querySelectorAll('[data-absent] input').length < 6)
  })

  test('the message is edited as text, the ledger follows, and nothing is lost where it no longer fits', async () => {
    await openSample(page, 'A dry run', 'book-a-session.md#2')
    await page.locator('.way button', { hasText: 'message' }).click()
    const text = page.locator('.cm-content')
    expect(await text.textContent()).not.toContain('nebula-key')
    await text.click()
    await page.keyboard.press('Control+End')
    await page.keyboard.type(' , oops')
    await becomes(page, '400')
    expect(await told(page)).toEqual(['body bad_syntax'])
    expect(await control(page, 'body.contact').inputValue()).toBe('bo@nebula.example')
    await page.keyboard.press('Control+a')
    await page.keyboard.type('DELETE /sessions/s-004711 HTTP/1.1')
    await page.locator('h1', { hasText: 'Cancel a session' }).waitFor()
    expect(await control(page, 'path.sessionId').inputValue()).toBe('s-004711')
    await page.keyboard.press('Control+a')
    await page.keyboard.type('nothing of the kind')
    await page.getByText('The message has no request line').waitFor()
    await page.locator('.way button', { hasText: 'message' }).click()
  })

  test('curl, a HAR entry and a message open by being pasted; what is copied holds no secret', async () => {
    const paste = async (text: string) => {
      await page.evaluate((one) => navigator.clipboard.writeText(one), text)
      await act(page, 'clipboard')
    }
    await paste(`curl 'https://kr.example/sessions?limit=500' -H 'Accept: application/json'`)
    await page.locator('h1', { hasText: 'List sessions' }).waitFor()
    expect(await control(page, 'query.limit').inputValue()).toBe('500')
    await paste(
      JSON.stringify({
        request: {
          method: 'GET',
          url: 'https://kr.example/telescopes?aperture=much',
          httpVersion: 'HTTP/1.1',
          headers: [],
        },
      }),
    )
    await page.locator('h1', { hasText: 'List telescopes' }).waitFor()
    await paste('no request at all')
    await notice(page, /no request was pasted/)
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    for (const [name, wanted] of [
      ['Copy as message', /^POST \/telescopes\/kr-2\/sessions HTTP\/1\.1\n/],
      ['Copy as curl', /^curl -X 'POST' 'http/],
      ['Copy as fetch', /^await fetch\("http/],
      ['Copy as write', /^write\(bookSession, /],
    ] as const) {
      await act(page, name)
      await notice(page, /copied/)
      const copied = await page.evaluate(() => navigator.clipboard.readText())
      expect(copied).toMatch(wanted)
      expect(copied).not.toMatch(/nebula-key|48151623/)
      await page.getByRole('button', { name: 'put the notice away' }).click()
    }
  })

  test('a link brings the work back, secrets apart; two samples are compared', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await control(page, 'body.contact').fill('no-address')
    await becomes(page, '422')
    const { inflateRawSync } = await import('node:zlib')
    const shared = () => inflateRawSync(Buffer.from(page.url().split('#')[1] ?? '', 'base64url')).toString()
    while (!shared().includes('no-address')) await page.waitForTimeout(50)
    const link = shared()
    await page.reload()
    await becomes(page, '422')
    expect(await control(page, 'body.contact').inputValue()).toBe('no-address')
    expect(await control(page, 'header.authorization').inputValue()).toBe('Bearer nebula-key')
    expect(link).not.toMatch(/nebula-key|48151623/)
    await act(page, 'Compare with: The window closes')
    await page.locator('.compared').waitFor()
    expect(await page.locator('.compared').textContent()).toMatch(/body\.window\.closes[\s\S]*must come after/)
    await page.locator('.compared').getByRole('button', { name: 'close' }).click()
  })

  test('by the keyboard alone: from the start to a saved sample, every other byte as it was', async () => {
    const fresh = await open(url)
    const before = book()
    await fresh.keyboard.press('Tab')
    await fresh.keyboard.type('A whole booking')
    await sample(fresh, 'book-a-session.md#1').waitFor()
    await fresh.waitForFunction(() => document.querySelectorAll('.sample').length === 1)
    await fresh.keyboard.press('Tab')
    await fresh.keyboard.press('ArrowDown')
    await fresh.keyboard.press('ArrowDown')
    await fresh.keyboard.press('Enter')
    await fresh.locator('.title', { hasText: 'A whole booking' }).waitFor()
    await becomes(fresh, 'accepted')
    for (let presses = 0; presses < 40; presses++) {
      await fresh.keyboard.press('Tab')
      if (await control(fresh, 'body.target.declination').evaluate((one) => one === document.activeElement)) break
    }
    await fresh.keyboard.press('Control+a')
    await fresh.keyboard.type('91')
    await becomes(fresh, '422')
    await fresh.keyboard.press('Shift+F10')
    await fresh.getByRole('menuitem', { name: 'send null' }).waitFor()
    await fresh.keyboard.press('Escape')
    await fresh.keyboard.press('Alt+ArrowDown')
    await fresh.keyboard.press('F8')
    await fresh.waitForFunction(() => document.activeElement?.id === 'at-body.target.declination')
    await fresh.keyboard.press('Control+s')
    await fresh.getByRole('dialog').waitFor()
    await fresh.keyboard.press('ArrowDown')
    await fresh.getByLabel('heading').focus()
    await fresh.keyboard.press('Control+a')
    await fresh.keyboard.type('Beyond the pole')
    await fresh.keyboard.press('Enter')
    await notice(fresh, /saved into samples\/book-a-session\.md as 422/)
    const after = book()
    expect(after.startsWith(before)).toBe(true)
    expect(after.slice(before.length)).toMatch(
      /^\n## Beyond the pole\n\n```http\nPOST [\s\S]*"declination": 91[\s\S]*"doorCode": "\(secret\)"[\s\S]*```\n\n```verdict\n422\nbody\.target\.declination above_max\n```\n$/,
    )
    expect(after.slice(before.length)).not.toMatch(/nebula-key|Authorization/)
    await fresh.context().close()
  })

  test('in place of the sample that was opened, its secrets stay; the command judges the book as the desk does', async () => {
    await openSample(page, 'The window closes before', 'book-a-session.md#3')
    await becomes(page, '422')
    await control(page, 'body.window.closes').fill('2031-03-05T06:00:00Z')
    await becomes(page, 'accepted')
    const before = book()
    await page.keyboard.press('Control+s')
    await page.getByRole('dialog').getByRole('button', { name: 'save', exact: true }).click()
    // Of another outcome, the block as a whole is asked.
    await page.getByRole('dialog').getByRole('combobox').selectOption('take')
    expect(book()).toBe(before)
    await page.getByRole('dialog').getByRole('button', { name: 'save', exact: true }).click()
    await notice(page, /saved into samples\/book-a-session\.md as accepted/)
    const [old, now] = [before.split('\n'), book().split('\n')]
    const changed = now.filter((line) => !old.includes(line))
    expect(changed.join('\n')).toMatch(/^ +"window": \{.*"closes": "2031-03-05T06:00:00Z" \},$/)
    expect(now).toContain('accepted')
    const { status, stdout } = folder.yosei(['check', 'intake.ts', 'samples', '--services', 'services.ts'])
    expect([status, stdout.split('\n').at(-2)]).toEqual([0, expect.stringContaining('66 as expected')])
    await page.locator('.title', { hasText: 'The window closes' }).waitFor()
    await page.getByLabel('clock').fill('2031-03-02T12:00:00Z')
    await page.keyboard.press('Control+s')
    await page.getByRole('dialog').getByRole('button', { name: 'save', exact: true }).click()
    await page.getByRole('alert').filter({ hasText: 'save it as a new one' }).waitFor()
    await page.keyboard.press('Escape')
    // Another desk changes the sample: the page shows both texts, and nothing is lost.
    await page.getByLabel('clock').fill('2031-03-01T12:00:00Z')
    const changed_ = book().replace('"closes": "2031-03-05T06:00:00Z"', '"closes": "2031-03-05T05:00:00Z"')
    await page.keyboard.press('Control+s')
    folder.write('samples/book-a-session.md', changed_)
    await page.getByRole('dialog').getByRole('button', { name: 'save', exact: true }).click()
    await page.getByRole('alert').filter({ hasText: 'has another request there by now' }).waitFor()
    await page.getByRole('region', { name: 'in the book now' }).filter({ hasText: '05:00:00Z' }).waitFor()
    expect(await page.getByRole('dialog').textContent()).not.toContain('nebula-key')
    await page.getByRole('region', { name: 'yours' }).filter({ hasText: '06:00:00Z' }).waitFor()
    expect(book()).toBe(changed_)
    await page.keyboard.press('Escape')
    folder.write('samples/book-a-session.md', now.join('\n'))
  })

  test('there is no verdict while the clock is none', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    await page.getByLabel('clock').fill('2031-03-01T12')
    await page.locator('.about').getByRole('alert').filter({ hasText: '"2031-03-01T12" is not a date-time' }).waitFor()
    expect(await page.getByLabel('clock').getAttribute('aria-invalid')).toBe('true')
    expect(await page.locator('header').first().textContent()).not.toMatch(/accepted|422/)
    await page.getByLabel('clock').fill('2031-03-01T12:00:00Z')
    await becomes(page, 'accepted')
    expect(await page.getByRole('alert').count()).toBe(0)
  })

  test('blanks that are typed into a header field stay, also in a secret', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    const key = control(page, 'header.authorization')
    await key.fill('')
    await key.pressSequentially('Bearer nebula-key')
    expect(await key.inputValue()).toBe('Bearer nebula-key')
    await becomes(page, 'accepted')
    const team = control(page, 'header.x-team')
    await team.fill('')
    await team.pressSequentially('two words ')
    expect(await team.inputValue()).toBe('two words ')
    await team.blur()
    expect(await team.inputValue()).toBe('two words')
  })

  test('assertions that hold stay as they were written; for each other the page asks, and a double click saves once', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    await control(page, 'body.price').fill('99.00')
    await control(page, 'body.target.name').fill('Heron Nebula')
    await becomes(page, 'accepted')
    const before = book()
    await page.keyboard.press('Control+s')
    const save = page.getByRole('dialog').getByRole('button', { name: 'save', exact: true })
    await doubleClick(page, save)
    const choices = page.getByRole('dialog').getByRole('combobox')
    await choices.nth(1).waitFor()
    expect(await choices.count()).toBe(2)
    expect(await page.getByRole('dialog').locator('.open-lines code').allTextContents()).toEqual([
      'body.target.name = "Lantern Nebula"',
      'body.price = "1250.50"',
    ])
    expect(book()).toBe(before)
    await choices.nth(0).selectOption('take')
    await choices.nth(1).selectOption('remove')
    await doubleClick(page, save)
    await notice(page, /saved into samples\/book-a-session\.md as accepted/)
    const [old, now] = [before.split('\n'), book().split('\n')]
    expect(now.filter((line) => !old.includes(line)).filter((line) => / = /.test(line))).toEqual([
      'body.target.name = "Heron Nebula"',
    ])
    expect(old.filter((line) => !now.includes(line)).filter((line) => / = /.test(line))).toEqual([
      'body.target.name = "Lantern Nebula"',
      'body.price = "1250.50"',
    ])
    expect(now.length).toBe(old.length - 1)
    folder.write('samples/book-a-session.md', before)
  })

  test('a verdict is marked as old while another is made, and stays in view with the way', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    let go = () => {}
    const held = new Promise<void>((resolve) => {
      go = resolve
    })
    const isLate = (post: string | null) => post?.includes('late') === true
    await page.route('**/api/judgements', async (route) => {
      if (isLate(route.request().postData())) await held
      await route.continue()
    })
    await control(page, 'body.note').fill('late')
    await page.locator('.verdict[data-old]', { hasText: 'judging' }).waitFor()
    expect(await page.locator('.verdict').getAttribute('aria-busy')).toBe('true')
    expect(await page.locator('.ledger[data-old]').count()).toBe(1)
    go()
    await page.locator('.verdict:not([data-old])').waitFor()
    await page.unroute('**/api/judgements')
    await page.evaluate(() => window.scrollTo(0, document.body.scrollHeight))
    for (const selector of ['.verdict b', '.verdict span', '.way', '.ledger-head'])
      expect([selector, ((await page.locator(selector).boundingBox())?.y ?? 800) < 160]).toEqual([selector, true])
    // In the search too, and it opens nothing there.
    await page.getByRole('searchbox').fill('')
    for (const keys of ['Enter', 'Control+Enter']) await page.keyboard.press(keys)
    const server = page.getByRole('textbox', { name: 'server' })
    await page.waitForFunction(() => document.activeElement?.closest('.sending') !== null)
    expect((await server.boundingBox())?.y).toBeGreaterThan(80)
    await page.getByText('Judged by 2031-03-01T12:00:00Z; the server judges by now.').waitFor()
    expect(await page.locator('h1').textContent()).toBe('Book an observing session')
    await page.locator('.sending').getByRole('button', { name: 'close' }).click()
  })

  test('the caller is one place: a caller of the samples, or JSON with its errors below it', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    const who = page.getByLabel('who asks')
    const chosen = (name: string) => who.locator('option:checked', { hasText: name }).waitFor({ state: 'attached' })
    await chosen('nebula')
    await who.selectOption('comet')
    await page.waitForFunction(() => document.querySelector<HTMLInputElement>('#at-header\\.x-team')?.value === 'comet')
    expect(await control(page, 'header.authorization').inputValue()).toBe('Bearer comet-key')
    await who.selectOption('another, as JSON')
    await page.getByLabel('caller').fill('{team')
    await page.locator('.about').getByRole('alert').filter({ hasText: 'is not JSON; write it as' }).waitFor()
    expect(await page.locator('.verdict').count()).toBe(0)
    await page.getByLabel('caller').fill('{"team":"comet","role":"team"}')
    await becomes(page, '(?:accepted|4\\d\\d)')
    await page.getByLabel('caller').fill('')
    await who.selectOption('as the request says')
    await becomes(page, '(?:401|422)')
    expect(await row(page, 'header.authorization').getAttribute('data-absent')).toBe('true')
  })

  test('callers of one endpoint are never offered for another', async () => {
    const late = await open(url)
    await openSample(late, 'A whole booking', 'book-a-session.md#1')
    await late.getByLabel('who asks').locator('option', { hasText: 'nebula' }).waitFor({ state: 'attached' })
    let go = () => undefined as void
    const held = new Promise<void>((resolve) => {
      go = resolve
    })
    await late.route('**/callers', async (route) => {
      await held
      await route.continue()
    })
    await openSample(late, 'Everything left out', 'list-sessions.md#1')
    await late.locator('h1', { hasText: 'List sessions' }).waitFor()
    await becomes(late, 'accepted')
    expect(await late.locator('.about option', { hasText: /nebula|comet/ }).count()).toBe(0)
    go()
    await late.close()
  })

  test('a path that no endpoint has is reported at the path, and can be mended there', async () => {
    await openSample(page, 'A path that does not exist', 'list-sessions.md#16')
    await becomes(page, '404')
    expect(await row(page, 'path').locator('.fault').textContent()).toBe(
      'no endpoint has this path; the nearest is GET /sessions',
    )
    expect(await page.locator('.line[data-address^="query"] .name').allTextContents()).toEqual([])
    await control(page, 'path').fill('/sessions')
    await becomes(page, 'accepted')
    await page.locator('h1', { hasText: 'List sessions' }).waitFor()
    expect(await page.evaluate(() => document.activeElement?.id)).toBe('at-path')
  })

  test('what is typed stays: secrets can be shown, slashes are encoded, an empty field is left out, new lines have the focus', async () => {
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    const key = control(page, 'header.authorization')
    await row(page, 'header.authorization')
      .getByRole('button', { name: 'show header.authorization', exact: true })
      .click()
    expect([await key.getAttribute('type'), await key.inputValue()]).toEqual(['text', 'Bearer nebula-key'])
    await control(page, 'path.telescopeId').fill('a/b+c d')
    await page.waitForFunction(() =>
      document.querySelector<HTMLInputElement>('#at-path')?.value.includes('a%2Fb%2Bc%20d'),
    )
    expect(await control(page, 'path.telescopeId').inputValue()).toBe('a/b+c d')
    await page.keyboard.press('Control+z')
    await control(page, 'body.contact').fill('')
    await becomes(page, '422')
    expect(await told(page)).toEqual(['body.contact wrong_format'])
    await page.keyboard.press('Backspace')
    await page.locator('[data-address="body.contact"][data-absent]').waitFor()
    await page.keyboard.press('Control+z')
    await page.keyboard.press('Control+z')
    await becomes(page, 'accepted')
    expect(await control(page, 'body.overhead').evaluate((one: HTMLInputElement) => one.placeholder)).toBe('')
    await choose(page, 'body.overhead', 'leave it out')
    await row(page, 'body.overhead').getByRole('button', { name: 'send body.overhead again' }).waitFor()
    await page.keyboard.press('Control+z')
    const more = await row(page, 'body.price').locator('.more').boundingBox()
    expect([more && more.width >= 24, more && more.height >= 24]).toEqual([true, true])
    const focus = (id: string) => page.waitForFunction((one) => document.activeElement?.id === one, id)
    await page.getByRole('button', { name: 'add an element to body.exposures' }).click()
    await focus('at-body.exposures[2].filter')
    await becomes(page, 'accepted')
    expect(await page.locator('.footnote').textContent()).toContain('body.exposures[2].filter')
    await page.getByRole('button', { name: 'add a name to body.tags' }).click()
    await page.keyboard.type('Dome')
    await page.keyboard.press('Enter')
    await focus('at-body.tags.Dome')
    await becomes(page, '422')
    await control(page, 'header.x-team').focus()
    await page.keyboard.press('F8')
    await focus('at-body.tags.Dome')
    await page.getByRole('searchbox').focus()
    expect(await page.locator('.footnote').textContent()).toBe('')
    await control(page, 'body.target.rightAscension').focus()
    expect(await page.locator('.footnote').textContent()).toContain(
      'Right ascension, as hours:minutes:secondstext, 8 to 13 characters, such as 05:35:17.3',
    )
    await control(page, 'body.window.closes').focus()
    expect(await page.locator('.footnote').textContent()).toContain(
      'not after 180 days from nowrule: closes must come after opens',
    )
    await control(page, 'body.window.opens').fill('')
    await page.getByRole('button', { name: 'calendar of body.window.opens' }).click()
    await page.getByRole('heading', { name: 'March 2031' }).waitFor()
    expect(await page.locator('.react-aria-CalendarCell.out:not([data-outside-month])').allTextContents()).toEqual([
      '1',
      '2',
    ])
    await page.keyboard.press('Escape')
  })

  test('a large file is no part of the text that is edited: a mark stands for it, and comes back to a command that forgot it', async () => {
    await openSample(page, 'A chart', 'send-a-chart.md#1')
    await page.getByRole('searchbox').fill('')
    const lengths: number[] = []
    page.on('request', (asked) => {
      if (asked.url().endsWith('api/judgements')) lengths.push(asked.postData()?.length ?? 0)
    })
    await row(page, 'body.chart')
      .locator('input[type=file]')
      .setInputFiles({ name: 'dome.png', mimeType: 'image/png', buffer: Buffer.alloc(2_500_000, 0xff) })
    await row(page, 'body.chart').getByText('dome.png, image/png, 2500000 bytes').waitFor()
    await becomes(page, '413')
    await row(page, 'body.chart')
      .locator('input[type=file]')
      .setInputFiles({ name: 'dome.png', mimeType: 'image/png', buffer: Buffer.alloc(1_000_000, 0xff) })
    await becomes(page, 'accepted')
    await page.route(
      '**/api/judgements',
      (route) =>
        route.fulfill({
          status: 409,
          contentType: 'application/problem+json',
          body: JSON.stringify({ fields: { body: [{ code: 'file_gone', detail: 'gone' }] } }),
        }),
      { times: 1 },
    )
    await control(page, 'body.sheet.title').fill('Heron')
    await page.locator('.verdict:not([data-old])').waitFor()
    await becomes(page, 'accepted')
    expect(Math.max(...lengths)).toBeLessThan(5000)
    await page.locator('.way button', { hasText: 'message' }).click()
    await page.locator('.cm-content', { hasText: '(a file of 1000000 bytes)' }).waitFor()
    await page.locator('.way button', { hasText: 'message' }).click()
  })

  test('a sample is saved as it was shown before, renamed and removed, and each is taken back', async () => {
    await openSample(page, 'A dry run', 'book-a-session.md#2')
    await becomes(page, 'accepted')
    await page.getByRole('searchbox').fill('')
    const before = book()
    await control(page, 'body.price').fill('7.00')
    await page.keyboard.press('Control+s')
    const dialog = page.getByRole('dialog')
    const preview = dialog.getByRole('region', { name: 'what changes in the book' })
    await preview.getByText('+   "price": "7.00"').waitFor()
    expect(book()).toBe(before)
    await dialog.getByLabel('as a new one').check()
    await dialog.getByLabel('heading').fill('## A dry run')
    await preview.getByText('+ ## A dry run').waitFor()
    expect(await preview.textContent()).not.toContain('nebula-key')
    await dialog.getByRole('button', { name: 'save', exact: true }).click()
    expect(book()).toBe(before)
    await dialog.getByLabel('Save another one beside it.').check()
    await dialog.getByLabel('heading').fill('### Short')
    await dialog.getByRole('button', { name: 'save', exact: true }).click()
    await notice(page, /saved into samples/)
    expect(book()).toContain('\n## Short\n')
    await page.locator('.title', { hasText: 'Short' }).waitFor()
    await act(page, 'Rename the sample')
    await dialog.getByLabel('heading').fill('Shorter')
    await page.keyboard.press('Enter')
    await notice(page, /renamed/)
    expect(book()).toContain('\n## Shorter\n')
    await page.getByRole('button', { name: 'undo', exact: true }).click()
    await notice(page, /undone/)
    expect(book()).toContain('\n## Short\n')
    await act(page, 'Remove the sample “Short”')
    await notice(page, /removed from its book/)
    expect(book()).toBe(before)
    await page.getByRole('button', { name: 'undo', exact: true }).click()
    await notice(page, /undone/)
    expect(book()).toContain('\n## Short\n')
    await page.locator('.title', { hasText: 'Short' }).waitFor()
    // What cannot be saved is said before.
    await page.getByLabel('clock').fill('2032-03-02T12:00:00Z')
    await page.keyboard.press('Control+s')
    await dialog.getByRole('alert').filter({ hasText: 'save it as a new one' }).waitFor()
    await page.keyboard.press('Escape')
    folder.write('samples/book-a-session.md', before)
  })

  test('an endpoint begins with values that it accepts, as few or as many as there are; a link says what it leaves out', async () => {
    const fresh = await open(url)
    await fresh.waitForFunction(() => document.querySelectorAll('.stamp:not(:empty)').length > 3)
    await fresh.locator('.sample[aria-current]').waitFor()
    await fresh.getByRole('searchbox').fill('book an observing')
    await fresh.locator('.endpoint .open').first().click()
    await becomes(fresh, 'accepted')
    expect(await control(fresh, 'path.telescopeId').inputValue()).toBe('kr-2')
    expect(await control(fresh, 'body.overhead').getAttribute('placeholder')).toBe('PT5M by default')
    await fresh.getByRole('button', { name: 'fill with everything' }).click()
    await fresh.waitForFunction(() => document.querySelectorAll('[data-absent] input').length < 6)
    await becomes(fresh, 'accepted')
    await fresh.getByRole('button', { name: 'fill with as little as possible' }).click()
    await fresh.waitForFunction(() => document.querySelectorAll('[data-absent] input').length > 6)
    await fresh.waitForFunction(() => location.hash.length > 100)
    await fresh.waitForTimeout(400)
    const link = fresh.url()
    const other = await open(link)
    await notice(other, /a link leaves out secrets; write your own at header\.authorization/)
    await other.evaluate(() => navigator.clipboard.writeText("curl 'https://kr.example/sessions'"))
    await act(other, 'clipboard')
    await other.locator('h1', { hasText: 'List sessions' }).waitFor()
    expect(await other.locator('.notice[role=status]').isVisible()).toBe(false)
    await other.goto('about:blank')
    await other.goto(link.slice(0, -30))
    await notice(other, /this link is broken or cut off/)
    await other.setViewportSize({ width: 360, height: 800 })
    const word = (selector: string) =>
      row(other, 'header.x-team')
        .or(other.locator('.line:not([data-section], [data-head])'))
        .first()
        .locator(selector)
        .evaluate((one) => getComputedStyle(one, '::before').content)
    expect(await word('.sent')).toBe('"sent"')
    for (const one of [fresh, other]) await one.context().close()
  })

  test('a change of the module on disk is judged at once, and one that does not load keeps the work', async () => {
    // Another before it, so that the verdict is of what is opened here.
    await openSample(page, 'Many mistakes at once', 'book-a-session.md#5')
    await becomes(page, '400')
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    const module = folder.read('intake.ts')
    folder.write(
      'intake.ts',
      module.replace("contact: text({ format: 'email' }),", "contact: text({ format: 'email', length: [1, 5] }),"),
    )
    await becomes(page, '422')
    await notice(page, /accepted is 422 now, \+ body\.contact too_long/)
    folder.write('intake.ts', `${module}\n{{{`)
    await page
      .getByRole('alert')
      .filter({ hasText: /intake\.ts:\d+:\d+: could not be loaded/ })
      .waitFor()
    expect(await control(page, 'body.contact').inputValue()).toBe('ada@nebula.example')
    folder.write('intake.ts', module)
    await becomes(page, 'accepted')
    await page.getByRole('alert').waitFor({ state: 'detached' })
    // So does a book that is being written elsewhere, or goes.
    const whole = book()
    for (const spoil of [
      () => folder.write('samples/book-a-session.md', `${whole}\n\`\`\`http\nnothing\n`),
      () => rmSync(join(folder.cwd, 'samples/book-a-session.md')),
    ]) {
      spoil()
      await page.getByRole('alert').filter({ hasText: 'What was there before still judges' }).waitFor()
      await control(page, 'body.contact').fill('nobody')
      await becomes(page, '422')
      await page.keyboard.press('Control+z')
      folder.write('samples/book-a-session.md', whole)
      await page.getByRole('alert').waitFor({ state: 'detached' })
    }
  })

  test('at a server: once or many at the same moment, what differs from the verdict marked', async () => {
    let count = 0
    const server = createServer((request, response) => {
      request.resume()
      const status = ++count === 1 ? 201 : 409
      const fields = status === 409 ? { fields: { 'body.window': [{ code: 'night_booked' }] } } : {}
      response.writeHead(status, { 'content-type': 'application/problem+json' }).end(JSON.stringify(fields))
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    await openSample(page, 'A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    await page.keyboard.press('Control+Enter')
    await page.getByRole('textbox', { name: 'server' }).fill('http://127.0.0.1:1')
    await page.locator('.sending button[type=submit]').click()
    await page.locator('.sending', { hasText: 'no server answers' }).waitFor()
    await page
      .getByRole('textbox', { name: 'server' })
      .fill(`http://127.0.0.1:${(server.address() as AddressInfo).port}`)
    await page.getByLabel('times').fill('4')
    await page.locator('.sending button[type=submit]').click()
    await page.locator('.sending', { hasText: '1 × 201, 3 × 409' }).waitFor()
    expect(
      await page.locator('.came li').filter({ hasText: 'as the verdict' }).filter({ hasNotText: 'not as' }).count(),
    ).toBe(1)
    expect(await page.locator('.came li', { hasText: '+ body.window night_booked' }).count()).toBe(3)
    server.close()
    await page.locator('.sending').getByRole('button', { name: 'close' }).click()
  })

  test.each([false, true])('axe finds nothing in five states and on a phone (dark: %s)', async (dark) => {
    const look = await open(url, { dark })
    const found = async (state: string) => {
      await look.waitForTimeout(300)
      await look.evaluate(axe.source)
      return look.evaluate(async (name) => {
        const { violations } = await (
          globalThis as unknown as {
            axe: { run(): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> }
          }
        ).axe.run()
        return violations.map(({ id, nodes }) => `${name}: ${id} ${nodes[0]?.html}`)
      }, state)
    }
    await openSample(look, 'A whole booking', 'book-a-session.md#1')
    const all = [await found('accepted')]
    await openSample(look, 'Many mistakes', 'book-a-session.md#5')
    all.push(await found('faults'))
    await look.locator('.way button', { hasText: 'message' }).click()
    await look.locator('.cm-content').waitFor()
    all.push(await found('message'))
    await row(look, 'body.contact').getByRole('button', { name: 'more for body.contact', exact: true }).click()
    await look.getByRole('menuitem').first().waitFor()
    all.push(await found('menu'))
    await look.keyboard.press('Escape')
    await look.keyboard.press('Control+k')
    await look.getByRole('menuitem').first().waitFor()
    all.push(await found('palette'))
    await look.keyboard.press('Escape')
    await look.setViewportSize({ width: 360, height: 800 })
    all.push(await found('phone'))
    expect(await look.evaluate(() => document.documentElement.scrollWidth)).toBe(360)
    expect(all.flat()).toEqual([])
    await look.context().close()
  })

  test('no page of another site may use it, it writes to the given books alone, and tells no secret', async () => {
    const ask = (path: string, init: RequestInit = {}) => fetch(new URL(path, url), init)
    const post = (path: string, body: object, headers = {}) =>
      ask(path, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...headers },
        body: JSON.stringify(body),
      })
    expect(
      (await post('api/judgements', { message: 'GET / HTTP/1.1' }, { origin: 'http://evil.example' })).status,
    ).toBe(403)
    const { request } = await import('node:http')
    const status = await new Promise((resolve) =>
      request(new URL('api/catalogue', url), { headers: { host: 'evil.example' } }, (answer) =>
        resolve(answer.resume().statusCode),
      ).end(),
    )
    expect(status).toBe(403)
    const draft = { message: 'GET /sessions HTTP/1.1' }
    for (const file of ['../README.md', 'samples/other.md', '/etc/passwd'])
      expect((await post('api/samples', { draft, file, title: 'x' })).status).toBe(409)
    expect((await ask('assets/..%2f..%2fdesk.js')).status).toBe(400)
    expect((await ask('assets/none.js')).status).toBe(404)
    const id = 'samples/book-a-session.md#1'
    const sent = await (await ask(`api/samples?id=${encodeURIComponent(id)}`)).json()
    const judged = await (await post('api/judgements', sent)).text()
    expect(judged).toContain('"accepted"')
    expect(judged).not.toMatch(/48151623|nebula-key/)
    expect((await ask('api/samples?id=none')).status).toBe(409)
    // Two at once: each is kept.
    const before = book()
    const saves = ['First', 'Second', 'Third'].map((title) =>
      post('api/samples', { draft: { message: 'GET /nowhere HTTP/1.1' }, file: 'samples/book-a-session.md', title }),
    )
    expect((await Promise.all(saves)).map(({ status }) => status)).toEqual([200, 200, 200])
    expect(
      book()
        .slice(before.length)
        .match(/^## .*$/gm),
    ).toEqual(['## First', '## Second', '## Third'])
  })
})

/** Every kind of field, to be composed from nothing. */
const workshop = `import { anything, bigInteger, choice, constant, day, decimal, duration, either, endpoint, file, flag, instant, intake, integer, lines, list, number, readAs, record, table, tagged, text, timeOfDay, tuple } from 'yosei'
const all = endpoint('POST /all', { query: { many: list(integer()), style: choice(['a', 'b'], { titles: { a: 'First' } }) }, cookie: { session: text() }, body: record({
  text: text(), integer: integer(), number: number(), bigInteger: bigInteger(), decimal: decimal(), flag: flag(), day: day(), instant: instant(), timeOfDay: timeOfDay(), duration: duration(),
  choice: choice(['x', 'y']), constant: constant(7), list: list(record({ a: integer() })), tuple: tuple([integer(), text()]), table: table(number()),
  tagged: tagged('by', { card: record({ number: text() }), cash: record({}) }), either: either([integer(), text()]), readAs: readAs(text(), (sent) => sent.length, { code: 'odd' }), anything: anything() }) })
const upload = endpoint('POST /upload', { body: { 'multipart/form-data': record({ photo: file({ types: ['image/png'], bytes: '1kB' }), title: text() }) } })
export default intake({ title: 'Workshop', endpoints: { all, upload } })
`

test('each kind is composed by its control, from nothing to accepted; a file too, byte by byte', async () => {
  const folder = new Folder({ 'intake.ts': workshop })
  try {
    const page = await open(await start(folder.cwd, 'intake.ts'))
    await page.locator('.way button', { hasText: 'message' }).click()
    await page.locator('.cm-content').click()
    await page.keyboard.press('Control+a')
    await page.keyboard.type('POST /all HTTP/1.1')
    await becomes(page, '400')
    await page.locator('.way button', { hasText: 'message' }).click()
    for (let count = 0; count < 2; count++)
      await page.getByRole('button', { name: 'add an element to query.many' }).click()
    await control(page, 'query.many[0]').fill('1')
    await control(page, 'query.many[1]').fill('2')
    await control(page, 'query.style').selectOption({ label: 'a: First' })
    const texts: [address: string, value: string][] = [
      ['cookie.session', 's'],
      ['body.text', 'say "hi"'],
      ['body.integer', '5'],
      ['body.number', '-2.5e3'],
      ['body.bigInteger', '123456789012345678901'],
      ['body.decimal', '1.50'],
      ['body.instant', '2031-03-01T00:00:00Z'],
      ['body.timeOfDay', '20:30'],
      ['body.duration', 'PT5M'],
      ['body.constant', '7'],
      ['body.either', '5'],
      ['body.readAs', 'four'],
      ['body.anything', 'true'],
    ]
    // What is invalid is kept as it was typed, whatever the kind.
    for (const [address] of texts.slice(2, -1)) {
      await control(page, address).pressSequentially('1. x')
      expect([address, await control(page, address).inputValue()]).toEqual([address, '1. x'])
    }
    for (const [address, value] of texts) await control(page, address).fill(value)
    await row(page, 'body.flag').getByLabel('true').check()
    await control(page, 'body.choice').selectOption('=x')
    await control(page, 'body.day').fill('2031-03-01')
    await page.getByRole('button', { name: 'calendar of body.day' }).click()
    await page.getByRole('button', { name: /17 March 2031/ }).click()
    expect(await control(page, 'body.day').inputValue()).toBe('2031-03-17')
    await page.getByRole('button', { name: 'add an element to body.list' }).click()
    await control(page, 'body.list[0].a').fill('1')
    await choose(page, 'body.tuple', 'write it as it stands')
    await control(page, 'body.tuple').fill('[1, "b"]')
    await page.getByRole('button', { name: 'add a name to body.table' }).click()
    await page.keyboard.type('rate')
    await page.keyboard.press('Enter')
    await control(page, 'body.table.rate').fill('0.5')
    await control(page, 'body.tagged.by').selectOption('=card')
    await control(page, 'body.tagged.number').fill('4')
    await becomes(page, 'accepted')
    await page.locator('.way button', { hasText: 'handle' }).click()
    const input = JSON.parse((await page.locator('.station pre').textContent()) ?? '')
    expect(input).toEqual({
      path: {},
      header: {},
      cookie: { session: '(secret)' },
      query: { many: [1, 2], style: 'a' },
      body: {
        text: 'say "hi"',
        integer: 5,
        number: -2500,
        bigInteger: '123456789012345678901',
        decimal: '1.50',
        flag: true,
        day: '2031-03-17',
        instant: '2031-03-01T00:00:00.000Z',
        timeOfDay: '20:30:00',
        duration: 300_000,
        choice: 'x',
        constant: 7,
        list: [{ a: 1 }],
        tuple: [1, 'b'],
        table: { rate: 0.5 },
        tagged: { by: 'card', number: '4' },
        either: 5,
        readAs: 4,
        anything: true,
      },
    })
    // The next error is reached although its line is far away, and not drawn yet.
    await page.locator('.way button', { hasText: 'message' }).click()
    await page.locator('.cm-content').click()
    await page.keyboard.press('Control+a')
    const many = JSON.stringify({ list: Array.from({ length: 400 }, (_, a) => ({ a: a === 390 ? 'x' : a })) })
    await page.keyboard.insertText(`POST /all HTTP/1.1\nContent-Type: application/json\n\n${many}`)
    await page.locator('.way button', { hasText: 'message' }).click()
    await control(page, 'body.list[0].a').focus()
    await page.locator('.verdict:not([data-old])').waitFor()
    expect(await row(page, 'body.list[390].a').count()).toBe(0)
    await page.keyboard.press('F8')
    await page.waitForFunction(() => document.activeElement?.id === 'at-body.list[390].a')
    await page.getByRole('searchbox').fill('upload')
    await page.locator('.endpoint .open', { hasText: 'upload' }).click()
    await page.locator('h1', { hasText: 'upload' }).waitFor()
    const bytes = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0xff, 0x00, 0xc3])
    await row(page, 'body.photo')
      .locator('input[type=file]')
      .setInputFiles({ name: 'dome.png', mimeType: 'image/png', buffer: bytes })
    await row(page, 'body.photo').getByText('dome.png, image/png, 11 bytes').waitFor()
    await becomes(page, 'accepted')
    await row(page, 'body.photo')
      .locator('input[type=file]')
      .setInputFiles({ name: 'dome.png', mimeType: 'image/png', buffer: Buffer.alloc(2000, 0xff) })
    await becomes(page, '413')
    expect(await told(page)).toEqual(['body.photo too_large'])
    await page.context().close()
  } finally {
    folder.remove()
  }
})

test('the static build judges in the browser; what cannot run there is said', async () => {
  const folder = observatory()
  try {
    const built = folder.yosei(['desk', 'intake.ts', 'samples', '--services', 'services.ts', '-o', 'out'])
    expect([built.status, built.stderr]).toEqual([0, ''])
    const types: { [ending: string]: string } = { '.js': 'text/javascript', '.css': 'text/css', '.html': 'text/html' }
    const server = createServer((request, response) => {
      const path = request.url === '/' ? '/index.html' : (request.url ?? '')
      try {
        response
          .writeHead(200, { 'content-type': types[extname(path)] ?? 'text/plain' })
          .end(readFileSync(join(folder.cwd, 'out', path)))
      } catch {
        response.writeHead(404).end()
      }
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const page = await open(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`)
    // It asks nothing of a command, so there is no answer to wait for.
    const openHere = async (title: string, id: string) => {
      await page.getByRole('searchbox').fill(title)
      await sample(page, id).click()
      await page.locator('.title', { hasText: title }).waitFor()
    }
    await openHere('A night that is booked', 'book-a-session.md#16')
    await becomes(page, '409')
    expect(await told(page)).toEqual(['body.window night_booked', 'header.x-team quota_spent'])
    await openHere('A whole booking', 'book-a-session.md#1')
    await becomes(page, 'accepted')
    await control(page, 'body.contact').fill('nobody')
    await becomes(page, '422')
    await page.keyboard.press('Control+k')
    await page.getByRole('menuitem').first().waitFor()
    expect(await page.getByRole('menuitem', { name: 'Save as a sample' }).count()).toBe(0)
    await page.context().close()
    server.close()
    const over = folder.yosei(['desk', 'intake.ts', '-o', 'samples'])
    expect([over.status, over.stderr]).toEqual([
      2,
      expect.stringContaining('samples: has other files; name a new folder'),
    ])
    expect(folder.yosei(['desk', 'intake.ts', '-o', 'out']).status).toBe(0)
    folder.write('services.ts', "import { readFileSync } from 'node:fs'\nexport default () => ({ read: readFileSync })")
    const refused = folder.yosei(['desk', 'intake.ts', '--services', 'services.ts', '-o', 'out2'])
    expect([refused.status, refused.stderr]).toEqual([
      2,
      'yosei: services.ts imports node:fs, which no browser has; start the desk without -o, or name services that need no such module\n',
    ])
  } finally {
    folder.remove()
  }
})

test('what it cannot start with is said in a line', () => {
  const rows: [args: string[], words: RegExp][] = [
    [['desk', 'none.ts'], /^yosei: none\.ts: there is no such file/],
    [
      ['desk', 'examples/observatory/intake.ts', 'examples/observatory/journal.ndjson'],
      /journal\.ndjson: the desk keeps samples in books alone/,
    ],
    [['desk', 'examples/observatory/intake.ts', '--port', '70000'], /Write a port from 0 to 65535/],
    [['desk', 'examples/observatory/services.ts'], /its default export is no intake/],
  ]
  for (const [args, words] of rows)
    expect(yosei(args)).toMatchObject({ status: 2, stderr: expect.stringMatching(words) })
})

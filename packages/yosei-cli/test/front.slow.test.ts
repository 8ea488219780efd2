/** The command `front` as a process: what it prints, its signals, its health, and what it refuses. */
import { execFileSync } from 'node:child_process'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect, test } from '@jest/globals'
import { Folder, root, starting } from './run.ts'

const intakeOf = (
  most: number,
  more = '',
) => `import { endpoint, flag, intake, integer, list, record, text } from 'yosei'
export default intake({ ${more} endpoints: { book: endpoint('POST /nights/{night}', { path: { night: integer({ max: ${most} }) }, query: { dry: flag({ default: false }) }, body: record({ team: text({ tidy: ['trim'] }) }),
  lookups: (on) => ({ night: on.lookup({ reads: ['path.night'], ask: ({ free }: { free: (night: number) => boolean }, [night]) => free(night) }) }) }) } })
`

test('judges, observes, is read again, says how it is, and ends when its requests have', async () => {
  const folder = new Folder({
    'intake.ts': intakeOf(5),
    'services.ts': 'export default () => ({ free: (night: number) => night !== 3 })',
  })
  let end: () => void = () => undefined
  const slow = new Promise<void>((resolve) => {
    end = resolve
  })
  const backend = createServer(async (request, response) => {
    request.resume()
    if (request.url === '/nights/1?dry=1') await slow
    response.end('booked')
  })
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve))
  const to = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`
  const health = createServer()
  await new Promise<void>((resolve) => health.listen(0, '127.0.0.1', resolve))
  const { port } = health.address() as AddressInfo
  await new Promise((resolve) => health.close(resolve))
  const options = [
    '--port',
    '0',
    '--services',
    'services.ts',
    '--journal',
    'front.ndjson',
    '--health-port',
    String(port),
  ]
  const front = starting(['front', 'intake.ts', '--to', to, ...options], folder.cwd)
  let said = ''
  front.stderr.on('data', (chunk) => (said += chunk))
  const url = String((await once(front.stdout, 'data'))[0]).trim()
  const says = async (line: RegExp) => {
    while (!line.test(said)) await new Promise((resolve) => setTimeout(resolve, 20))
  }
  const book = async (night: string) => {
    const sent = { method: 'POST', body: '{"team":"a"}', headers: { 'content-type': 'application/json' } }
    const answer = await fetch(`${url}/nights/${night}`, sent)
    return `${answer.status} ${(await answer.text()).slice(0, 6)}`
  }
  const state = async (path: string) => (await fetch(`http://127.0.0.1:${port}${path}`)).status
  await says(/book {2}body\.team {2}the tidied text/)
  expect(said).toMatch(/sends on what is accepted to http[\s\S]*book {2}query\.dry {2}its default/)
  expect([await book('2'), await book('3'), await book('9')]).toEqual(['200 booked', '422 {"type', '400 {"type'])
  expect([await state('/health'), await state('/ready'), await state('/')]).toEqual([200, 200, 404])
  expect(folder.read('front.ndjson').match(/"outcome":"rejected"/g)).toHaveLength(2)
  folder.write('intake.ts', intakeOf(9))
  front.kill('SIGHUP')
  await says(/read the intake again/)
  expect(await book('9')).toBe('200 booked')
  folder.write('intake.ts', intakeOf(9, "unlisted: { query: 'drop' },"))
  front.kill('SIGHUP')
  await says(/the intake stays as it was: front, book, query: names that are not/)
  folder.write('intake.ts', 'export default {')
  front.kill('SIGHUP')
  await says(/the intake stays as it was: intake\.ts/)
  expect(await book('9')).toBe('200 booked')
  const last = book('1?dry=1')
  while ((await new Promise<number>((resolve) => backend.getConnections((_, count) => resolve(count)))) < 1);
  front.kill('SIGTERM')
  while ((await state('/ready')) !== 503);
  end()
  expect(await last).toBe('200 booked')
  expect(await once(front, 'exit')).toEqual([0, null])
  backend.close()
  folder.remove()
}, 60_000)

test('says what it cannot do', () => {
  const folder = new Folder({ 'intake.ts': intakeOf(5, "unlisted: { body: 'drop' },") })
  const told = (...args: string[]) => {
    const { status, stderr } = folder.yosei(['front', ...args])
    return `${status} ${stderr.split('\n')[0]}`
  }
  expect([
    told('intake.ts'),
    told('intake.ts', '--to', 'http://127.0.0.1:1'),
    told('intake.ts', '--to', 'nowhere'),
    told('none.ts', '--to', 'http://127.0.0.1:1'),
    told('intake.ts', '--to', 'http://127.0.0.1:1', '--observe=head'),
    told('intake.ts', '--to', 'http://127.0.0.1:1', '--unmatched', 'drop'),
  ]).toMatchInlineSnapshot(`
   [
     "2 error: required option '--to <origin>' not specified",
     "2 yosei: front, book, body: names that are not declared are dropped, and the backend would get them nonetheless. Write unlisted: { body: 'refuse' }.",
     "2 yosei: front: to is 'nowhere', which is no URL. Write its scheme, host and port: http://127.0.0.1:8080.",
     "2 yosei: none.ts: there is no such file; name the module that exports your intake",
     "2 error: option '--observe [parts]' argument 'head' is invalid. Name some of path, query, header, cookie, body, with commas between.",
     "2 error: option '--unmatched <what>' argument 'drop' is invalid. Allowed choices are answer, next.",
   ]
  `)
  folder.remove()
}, 60_000)

test('the example observes, counts and enforces', () => {
  const printed = execFileSync(process.execPath, ['examples/front/demo.js'], {
    cwd: root,
    encoding: 'utf8',
    stdio: 'pipe',
  })
  expect(printed.match(/^\d{3}/gm)?.join(' ')).toBe('201 201 201 201 200 200 201 422 422 422 200 400')
  expect(printed).toMatch(
    /The mast has 4 readings; three of them are wrong\.[\s\S]*4 requests with 5 errors[\s\S]*The mast has 1 reading\.\n$/,
  )
}, 60_000)
